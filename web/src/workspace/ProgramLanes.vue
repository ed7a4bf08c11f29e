<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useStrip } from '../when/stripStore'
import { clock } from '../when/whenStore'
import { endsOf, handsOf, HIGH, type Meeting, meetingsOf, runsOf, toldApart, topOf } from './lanes'

/** The lanes of the run plan on the clock: programs, where lanes meet, and what is handled. */
const props = defineProps<{ x: (time: number) => number }>()
const cell = useCell()
const strip = useStrip()

/** Ends of moves nearer together than this are not drawn, pixels. */
const APART = 4
const ends = computed(() => (cell.cell ? endsOf(cell.cell) : []))
/** Those that can be told apart. */
const ticks = computed(() => {
  const [from, to] = strip.shown
  const pixel = (to - from) / Math.max(props.x(to) - props.x(from), 1)
  return toldApart(ends.value, strip.shown, APART * pixel)
})

const runs = computed(() => (cell.cell ? runsOf(cell.cell) : []))
const meetings = computed(() => (cell.cell ? meetingsOf(cell.cell) : []))
const hands = computed(() => (cell.cell ? handsOf(cell.cell) : []))
const middle = (lane: number) => topOf(lane) + HIGH / 2
const first = ({ lanes }: Meeting) => topOf(Math.min(...lanes.map((l) => l.lane)))
const last = ({ lanes }: Meeting) => topOf(Math.max(...lanes.map((l) => l.lane))) + HIGH
const handSaid = ({ takes, item, at }: (typeof hands.value)[number]) =>
  `${takes ? 'Takes' : 'Releases'} ${cell.items.get(item)?.name ?? item}, ${clock(at)}`
</script>

<template>
  <g>
    <g v-for="run in runs" :key="`${run.lane}/${run.start}`">
      <rect
        :x="x(run.start)"
        :y="topOf(run.lane)"
        :width="Math.max(2, x(run.end) - x(run.start) - 2)"
        :height="HIGH"
        rx="3"
        class="program"
      />
    </g>
    <rect
      v-for="t in ticks"
      :key="`${t.lane}/${t.at}`"
      :x="x(t.at) - 2"
      :y="topOf(t.lane)"
      width="3"
      :height="HIGH"
      class="end"
      data-test="move-end"
    >
      <title>{{ clock(t.at) }} ends: {{ t.said }}</title>
    </rect>
    <g v-for="run in runs" :key="`name/${run.lane}/${run.start}`">
      <text
        v-if="run.end > strip.shown[0]"
        :x="Math.max(x(run.start), 0) + 6"
        :y="topOf(run.lane) + 11"
        class="label"
      >
        {{ run.robot.split(' ')[0] }} · {{ run.name }}
      </text>
    </g>
    <g v-for="m in meetings" :key="`${m.mark}/${m.at}`" class="meeting" data-test="meeting">
      <title>Lanes wait for each other at “{{ m.mark }}”, {{ clock(m.at) }}</title>
      <line :x1="x(m.at)" :x2="x(m.at)" :y1="first(m)" :y2="last(m)" />
      <line
        v-for="l in m.lanes"
        :key="l.lane"
        :x1="x(l.time)"
        :x2="x(m.at)"
        :y1="middle(l.lane)"
        :y2="middle(l.lane)"
        class="waits"
      />
    </g>
    <path
      v-for="h in hands"
      :key="`${h.lane}/${h.at}/${h.takes}`"
      :d="h.takes ? 'M-4 4 0-3 4 4z' : 'M-4-3 0 4 4-3z'"
      :transform="`translate(${x(h.at)} ${middle(h.lane)})`"
      class="hand"
      data-test="hand"
    >
      <title>{{ handSaid(h) }}</title>
    </path>
  </g>
</template>

<style scoped>
.program {
  fill: color-mix(in srgb, rgb(var(--v-theme-on-surface)) 9%, transparent);
}
.label {
  font-size: 11px;
  fill: rgb(var(--v-theme-on-surface));
  pointer-events: none;
}
.end {
  fill: color-mix(in srgb, rgb(var(--v-theme-on-surface)) 22%, transparent);
}
.meeting line {
  stroke: var(--accent);
  stroke-width: 1.5;
}
.meeting .waits {
  stroke-dasharray: 2 2;
}
.hand {
  fill: var(--accent);
}
</style>
