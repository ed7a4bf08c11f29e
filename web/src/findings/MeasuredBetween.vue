<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { useUnits } from '../settings/units'
import { leaning } from './asText'
import { told } from './known'
import type { SpanName } from './measureStore'
import { useMeasure } from './measureStore'

/** What lies between two: pointed at, each is drawn in the picture. */
const props = defineProps<{ between: Schemas['Between'] }>()
const measure = useMeasure()
const units = useUnits()

const axes = computed(() =>
  ['X', 'Y', 'Z'].map((name, i) => ({ name, mm: props.between.smallest.along_mm[i]! })),
)
interface Row {
  name: string
  text: string
  span?: SpanName
  raw?: string
}
const rows = computed((): Row[] => {
  const { largest, middles, carriers, reach } = props.between
  const length = (name: string, mm: number, span?: SpanName): Row => ({
    name,
    text: units.length(mm, 1),
    raw: `${mm} mm`,
    ...(span && { span }),
  })
  const all: Row[] = []
  if (middles) all.push(length('centre to centre', middles.length_mm, 'middles'))
  const [along, up] = (middles ?? props.between.smallest).level_mm as [number, number]
  all.push(length('along the floor', along), length('upwards', up))
  if (carriers) {
    const kinds = `${carriers.of_a} to ${carriers.of_b}`
    const { distance, angle_deg } = carriers
    const points = carriers.of_a === 'point' && carriers.of_b === 'point'
    if (distance && !points) all.push(length(kinds, distance.length_mm, 'carriers'))
    if (!distance) all.push({ name: kinds, text: leaning(carriers, units) })
    if (typeof angle_deg === 'number')
      all.push({ name: 'angle', text: units.angle(angle_deg, 1), raw: `${angle_deg}°` })
  }
  if (largest) all.push(length('at most', largest.length_mm, 'largest'))
  if (reach) all.push(...reachRows(reach))
  return all
})
function reachRows(reach: Schemas['ReachHere']): Row[] {
  const { used_percent, used_at_most_percent, limit_joint, manipulability } = reach
  const bracketed = used_at_most_percent - used_percent > 0.05
  const from = bracketed ? `${used_percent.toFixed(1)} to ` : ''
  const numbers = reach.numbers.map((value) => told(value, units))
  const [used, limit] = [numbers[0]!, numbers.length > 2 ? numbers[1]! : null]
  const all: Row[] = [{ name: 'reach used', text: from + used.text, raw: used.raw }]
  const joint = limit_joint?.split('/')[1]
  if (limit) all.push({ name: `to the limit of ${joint}`, text: limit.text, raw: limit.raw })
  const free = { name: 'from a singularity', text: manipulability.toFixed(3) }
  return [...all, { ...free, raw: `${manipulability}` }]
}
const point = (span?: SpanName) => (measure.pointedAt = span ?? null)
</script>

<template>
  <section class="figures" aria-label="Between A and B" data-test="between">
    <p class="smallest" @mouseenter="point('smallest')" @mouseleave="point()">
      <span>{{ between.overlap ? 'touching or overlapping' : 'nearest' }}</span>
      <b class="number" data-test="smallest" :title="`${between.smallest.length_mm} mm`">{{
        units.length(between.smallest.length_mm, 1)
      }}</b>
    </p>
    <p class="along number">
      <span v-for="axis in axes" :key="axis.name" :title="`${axis.mm} mm`"
        ><i :class="axis.name">{{ axis.name }}</i> {{ units.number(axis.mm, 1) }}</span
      >
    </p>
    <p v-for="text in between.not_certain" :key="text" class="unsure">not certain: {{ text }}</p>
    <dl>
      <div
        v-for="row in rows"
        :key="row.name"
        class="line"
        :tabindex="row.span ? 0 : undefined"
        @mouseenter="point(row.span)"
        @mouseleave="point()"
        @focus="point(row.span)"
        @blur="point()"
      >
        <dt>{{ row.name }}</dt>
        <dd class="number" :title="row.raw">{{ row.text }}</dd>
      </div>
    </dl>
  </section>
</template>

<style scoped>
.smallest,
.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 8px;
}
.smallest b {
  font-size: 16px;
  color: var(--plum);
}
.along {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0 10px;
}
.along i {
  font-style: normal;
  font-weight: 700;
}
dt {
  color: var(--soft);
}
dd {
  font-weight: 600;
}
.line:hover {
  color: var(--accent);
}
.unsure {
  color: rgb(var(--v-theme-warning));
}
</style>
