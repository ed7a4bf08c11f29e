<script setup lang="ts">
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed } from 'vue'

import { type Extreme, useSeries } from '../findings/seriesStore'
import { certainty, seriesName, seriesValue, valueAt } from '../findings/seriesTold'
import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import PathScrubber from './PathScrubber.vue'
import { usePathChart } from './usePathChart'

/** A number over the time of the path: the scrubber, too. */
const series = useSeries()
const units = useUnits()
const when = useWhen()

const chart = usePathChart(26)
const { height, top, bottom, x, pointed } = chart
const span = computed((): [number, number] => {
  const shown = series.shown
  if (!shown) return [0, 1]
  const [low, high] = [shown.smallest.value, shown.largest.value]
  // What hardly changes is not blown up to fill the strip.
  const room = Math.max((high - low) * 0.08, Math.abs(high) * 1e-3, 1e-6)
  return [low - room, high + room]
})
const y = computed(() => scaleLinear(span.value, [bottom.value, top.value]))
const way = computed(() => {
  const shown = series.shown
  if (!shown) return ''
  const points = shown.times_s.map((t, i): [number, number] => [t, shown.values[i]!])
  return line<[number, number]>()
    .x((p) => x.value(p[0]))
    .y((p) => y.value(p[1]))(points)
})
const told = (value: number) => seriesValue(series.shown!, value, units)
const ends = computed(() => {
  const shown = series.shown
  if (!shown) return []
  return (['smallest', 'largest'] as const).map((end) => ({
    end,
    ...shown[end],
    text: told(shown[end].value),
    certain: certainty(shown, end, units),
  }))
})
const ticks = computed(() => {
  if (!series.shown) return []
  const [low, high] = [series.shown.smallest.value, series.shown.largest.value]
  return high - low > Math.abs(high) * 1e-6 ? [low, high] : [low]
})
/** As short as a scale is read. */
const tick = (value: number) => {
  const number = Number.parseFloat(told(value))
  return Number.isFinite(number) ? `${Number(number.toPrecision(4))}` : ''
}

const under = computed(() => {
  const t = pointed.value
  if (t === null || !series.shown) return null
  return { left: x.value(t), text: `${clock(t)} · ≈ ${told(valueAt(series.shown, t))}` }
})
const goTo = (e: Extreme) => {
  when.pause()
  when.goTo(e.time_s)
}
</script>

<template>
  <div class="scale number" aria-hidden="true">
    <span v-for="t in ticks" :key="t" :style="{ top: `${y(t) - 8}px` }">{{ tick(t) }}</span>
  </div>
  <div class="chart">
    <PathScrubber :of="chart">
      <path v-if="way" :d="way" class="way" data-test="series-way" />
      <template v-for="e in ends" :key="e.end">
        <circle :cx="x(e.time_s)" :cy="y(e.value)" r="4" class="end" />
      </template>
      <line v-if="under" :x1="under.left" :x2="under.left" :y1="top" :y2="height" class="under" />
    </PathScrubber>
    <div class="said" :style="{ top: `${top - 21}px` }">
      <select v-model="series.chosen" aria-label="What is drawn over time" data-test="series">
        <option v-for="(s, i) in series.all" :key="i" :value="i">{{ seriesName(s) }}</option>
      </select>
      <button
        v-for="e in ends"
        :key="e.end"
        class="link number"
        :title="`Go there: ${clock(e.time_s)}`"
        :data-test="`series-${e.end}`"
        @click="goTo(e)"
      >
        {{ e.end }} {{ e.text }}<template v-if="e.with"> to {{ e.with }}</template>
        <span class="soft">&nbsp;{{ e.certain }}</span>
      </button>
      <span v-if="series.busy" class="soft">Following…</span>
      <span v-if="series.refused" class="refused" role="alert">{{ series.refused }}</span>
      <span v-for="text in series.notCertain" :key="text" class="soft long" :title="text"
        >not certain: {{ text }}</span
      >
      <span v-if="under" class="number at" data-test="series-under">{{ under.text }}</span>
      <button
        class="link close"
        title="Back to the clearance"
        data-test="series-close"
        @click="series.close"
      >
        Clearance
      </button>
    </div>
  </div>
</template>

<style scoped>
.said {
  position: absolute;
  left: 4px;
  right: 0;
  display: flex;
  gap: 12px;
  align-items: center;
  font-size: 11px;
  white-space: nowrap;
  pointer-events: none;
}
.said > button,
.said > select {
  pointer-events: auto;
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
}
.said > * {
  flex: none;
}
.said > .long {
  flex: 0 1 auto;
  min-width: 70px;
  overflow: hidden;
  text-overflow: ellipsis;
  pointer-events: auto;
}
.at {
  margin-left: auto;
  font-weight: 600;
}
.close {
  margin-left: auto;
}
.at + .close {
  margin-left: 0;
}
.way {
  fill: none;
  stroke: var(--plum);
  stroke-width: 1.7;
  stroke-linejoin: round;
}
.end {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--plum);
  stroke-width: 1.7;
}
.under {
  stroke: var(--soft);
  stroke-dasharray: 2 3;
}
.refused {
  color: rgb(var(--v-theme-error));
}
</style>
