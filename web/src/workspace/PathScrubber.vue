<script setup lang="ts">
import { clock, useWhen } from '../when/whenStore'
import LaneFaults from './LaneFaults.vue'
import ProgramLanes from './ProgramLanes.vue'
import type { PathChart } from './usePathChart'

/** The lanes of the programs, what is drawn over time below them, and the play head. */
const props = defineProps<{ of: PathChart }>()
const when = useWhen()
const { take, width, height, x, pointed, down, move, up, key } = props.of
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
    @pointermove="move"
    @pointerleave="pointed = null"
    @pointerup="up"
    @keydown="key"
  >
    <ProgramLanes :x="x" />
    <slot />
    <line :x1="x(when.time)" :x2="x(when.time)" y1="0" :y2="height" class="head" />
  </svg>
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
.head {
  stroke: var(--plum);
  stroke-width: 2;
}
</style>
