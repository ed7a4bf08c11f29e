<script setup lang="ts">
import { usePart } from '../findings/partStore'
import { useStrip } from '../when/stripStore'
import { clock, useWhen } from '../when/whenStore'
import LaneFaults from './LaneFaults.vue'
import ProgramLanes from './ProgramLanes.vue'
import type { PathChart } from './usePathChart'

/** The lanes of the programs, what is drawn over time below them, and the play head. */
const props = defineProps<{ of: PathChart }>()
const when = useWhen()
const strip = useStrip()
const part = usePart()
const { take, width, height, top, x, pointed, down, move, up, wheel, key } = props.of
</script>

<template>
  <svg
    :ref="take"
    role="slider"
    tabindex="0"
    aria-label="Path time"
    :aria-valuenow="when.time"
    aria-valuemin="0"
    :aria-valuemax="when.duration"
    :aria-valuetext="clock(when.time)"
    data-test="scrubber"
    @pointerdown="down"
    @mousedown.shift.prevent
    @pointermove="move"
    @pointerleave="pointed = null"
    @pointerup="up"
    @wheel.prevent="wheel"
    @dblclick="strip.showAll"
    @keydown="key"
  >
    <ProgramLanes :x="x" />
    <slot />
    <rect
      v-if="strip.marked"
      :x="x(strip.marked[0])"
      :width="Math.max(1, x(strip.marked[1]) - x(strip.marked[0]))"
      y="0"
      :height="height"
      class="marked"
    />
    <line :x1="x(when.time)" :x2="x(when.time)" y1="0" :y2="height" class="head" />
  </svg>
  <div v-if="strip.part || strip.marked" class="part number" :style="{ top: `${top - 19}px` }">
    <span data-test="part-shown"
      >{{ clock((strip.marked ?? strip.shown)[0]) }} –
      {{ clock((strip.marked ?? strip.shown)[1]) }}</span
    >
    <button v-if="strip.marked" class="link" data-test="fit-marked" @click="strip.fit">Fit</button>
    <button
      class="link"
      title="What pairs come to in this part alone"
      data-test="sweep-part"
      @click="part.sweep(strip.marked ?? strip.shown)"
    >
      Sweep this
    </button>
    <button
      v-if="strip.part"
      class="link"
      title="The whole path (double click)"
      data-test="show-all"
      @click="strip.showAll"
    >
      Whole path
    </button>
  </div>
  <LaneFaults :x="x" :width="width" />
</template>

<style scoped>
svg[role='slider'] {
  width: 100%;
  height: 100%;
  display: block;
  cursor: ew-resize;
  touch-action: none;
}
.marked {
  fill: var(--plum);
  opacity: 0.12;
}
.part {
  position: absolute;
  right: 0;
  display: flex;
  gap: 12px;
  align-items: baseline;
  font-size: 11px;
  padding-left: 6px;
  background: rgb(var(--v-theme-surface));
}
.head {
  stroke: var(--plum);
  stroke-width: 2;
}
</style>
