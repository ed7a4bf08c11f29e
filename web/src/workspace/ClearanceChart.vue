<script setup lang="ts">
import { scaleSqrt } from 'd3-scale'
import { area, line } from 'd3-shape'
import { computed } from 'vue'

import type { Pair, Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useCompare } from '../findings/compareStore'
import { useFindings } from '../findings/findingsStore'
import { useProfile } from '../findings/profileStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { pairKey, verdictWord } from '../findings/verdicts'
import { useUnits } from '../settings/units'
import { useStrip } from '../when/stripStore'
import { clock, useWhen } from '../when/whenStore'
import PathScrubber from './PathScrubber.vue'
import { usePathChart } from './usePathChart'

const cell = useCell()
const units = useUnits()
const when = useWhen()
const findings = useFindings()
const profile = useProfile()
const compare = useCompare()
const strip = useStrip()

const chart = usePathChart(20)
const { width, height, top, bottom, x, pointed } = chart
const band = computed(() => profile.band)
const y = computed(() => scaleSqrt([0, band.value?.ceiling_mm ?? 200], [bottom.value, top.value]))
type Step = { t: number; lower: number; attained: number }
const stepsOf = (b: Schemas['BandReport'] | null): Step[] =>
  b?.lower_mm.map((lower, i) => ({
    t: (b.edges_s[i]! + b.edges_s[i + 1]!) / 2,
    lower,
    attained: b.attained_mm[i]!,
  })) ?? []
const shapeOf = (steps: Step[]) =>
  area<Step>()
    .x((s) => x.value(s.t))
    .y0((s) => y.value(s.lower))
    .y1((s) => y.value(s.attained))(steps) ?? ''
const traceOf = (steps: Step[]) =>
  line<Step>()
    .x((s) => x.value(s.t))
    .y((s) => y.value(s.attained))(steps) ?? ''
const all = computed(() => stepsOf(band.value))
const earlier = computed(() => stepsOf(compare.band))
const own = computed(() => stepsOf(profile.ofPair))
/** What stands under the pointer. */
const under = computed(() => {
  const [b, t] = [band.value, pointed.value]
  if (!b || t === null) return null
  const i = b.edges_s.findIndex((edge, i) => edge <= t && t <= (b.edges_s[i + 1] ?? -1))
  if (i < 0) return null
  const [least, found] = [b.lower_mm[i]!, b.attained_mm[i]!]
  const said =
    found >= b.ceiling_mm
      ? `over ${units.number(least)}`
      : `${units.number(least)} to ${units.number(found)}`
  return { left: x.value(t), text: `${clock(t)} · ${said} ${units.sign.value}` }
})
const rules = computed(() =>
  [...new Set(findings.findings?.rules.filter((r) => r.pairs).map((r) => r.required_mm))].sort(
    (a, b) => a - b,
  ),
)
/** Where the rules are named: at their line, or just above the name below it. */
const names = computed(() => {
  let below = Infinity
  return rules.value.map((required) => {
    below = Math.min(y.value(required) - 8, below - 11)
    return { required, top: below }
  })
})
/** Where nothing moves, or not as when it was swept, there is no when to mark. */
const marked = computed(() => {
  if (!when.duration || cell.cell?.path.fault) return []
  return findings.pairs.filter((p) => p.verdict !== 'meets').slice(0, 24)
})
/** Marks of what is out of sight are not drawn. */
const inSight = computed(() => {
  const [from, to] = strip.shown
  return marked.value.filter((p) => p.time_s >= from && p.time_s <= to)
})
const spans = computed(() =>
  marked.value.flatMap((p) => p.broken.map((b) => [b.start_s[0]!, b.end_s[1]!] as const)),
)

const pairSaid = computed(() => {
  const pair = findings.shown
  return pair ? `${pair.a.name} – ${pair.b.name}` : ''
})
const told = (p: Pair) =>
  `${verdictWord(p.verdict)}: ${p.a.name} – ${p.b.name}, ` +
  `${units.length(p.attained_mm)} at ${clock(p.time_s)}`
const markAt = (p: Pair) => ({
  left: `${x.value(p.time_s) - 6}px`,
  top: `${Math.max(top.value - 12, y.value(Math.min(p.attained_mm, 200)) - 26)}px`,
})
</script>

<template>
  <div class="scale number" aria-hidden="true">
    <span v-for="n in names" :key="n.required" :style="{ top: `${n.top}px` }">{{
      units.short(n.required).replace(/ .*/, '')
    }}</span>
  </div>
  <div class="chart">
    <p v-if="cell.cell?.path.fault" class="fault" role="alert">
      The run plan can't be run: {{ cell.cell.path.fault }}
    </p>
    <p v-else-if="!when.duration" class="fault soft">This cell has no run plan: nothing moves.</p>
    <PathScrubber :of="chart">
      <rect
        v-for="([from, to], i) in spans"
        :key="i"
        :x="x(from) - 1"
        :y="top - 6"
        :width="Math.max(3, x(to) - x(from) + 2)"
        :height="bottom - top + 6"
        class="breach"
      />
      <text v-if="band && when.duration" x="6" :y="top - 5" class="label axis">
        Smallest clearance of all pairs, {{ findings.fresh ? 'certified' : 'at the last sweep' }} ·
        {{ units.sign }}, square-root scale
        <tspan v-if="earlier.length" dx="8" class="was">- - at the earlier sweep</tspan>
        <tspan v-if="own.length" class="of-pair" dx="8">{{ pairSaid }}</tspan>
        <tspan v-if="under" class="at" dx="8" data-test="band-under">{{ under.text }}</tspan>
      </text>
      <line v-for="r in rules" :key="r" x1="0" :x2="width" :y1="y(r)" :y2="y(r)" class="rule" />
      <path
        v-if="earlier.length"
        :d="traceOf(earlier)"
        class="trace earlier"
        data-test="earlier-band"
      />
      <path :d="shapeOf(all)" class="band" />
      <path :d="traceOf(all)" class="trace" />
      <path v-if="own.length" :d="shapeOf(own)" class="band own" />
      <path v-if="own.length" :d="traceOf(own)" class="trace own" data-test="own-band" />
      <line v-if="under" :x1="under.left" :x2="under.left" :y1="top" :y2="height" class="under" />
    </PathScrubber>
    <!-- By keys one gets there from the findings. -->
    <span
      v-for="p in inSight"
      :key="pairKey(p)"
      class="mark"
      :style="markAt(p)"
      :title="told(p)"
      aria-hidden="true"
      @click="findings.showEvidence(p)"
    >
      <VerdictMark :verdict="p.verdict" />
    </span>
  </div>
</template>

<style scoped>
.label {
  font-size: 11px;
  fill: rgb(var(--v-theme-on-surface));
  pointer-events: none;
}
.rule {
  stroke: rgb(var(--v-theme-error));
  stroke-dasharray: 5 4;
  stroke-width: 1;
  opacity: 0.6;
}
.band {
  fill: var(--accent);
  opacity: 0.28;
}
.trace {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.7;
  stroke-linejoin: round;
}
.earlier.trace {
  stroke: var(--soft);
  stroke-dasharray: 4 3;
  stroke-width: 1.3;
}
.own.band {
  fill: var(--plum);
}
.own.trace {
  stroke: var(--plum);
  stroke-width: 1.3;
}
.of-pair {
  fill: var(--plum);
  font-weight: 600;
}
.at {
  fill: rgb(var(--v-theme-on-surface));
  font-weight: 600;
}
.under {
  stroke: var(--soft);
  stroke-dasharray: 2 3;
}
.breach {
  fill: rgb(var(--v-theme-error));
  opacity: 0.15;
}
.mark {
  cursor: pointer;
  position: absolute;
  width: 13px;
  height: 13px;
  display: grid;
}
.fault {
  position: absolute;
  z-index: 1;
  top: 52px;
  left: 14px;
  max-width: calc(100% - 34px);
  padding: 2px 6px;
  border-radius: 4px;
  background: rgb(var(--v-theme-surface));
}
p[role='alert'] {
  color: rgb(var(--v-theme-error));
}
.axis {
  fill: var(--soft);
}
</style>
