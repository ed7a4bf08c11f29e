<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'

import type { Vec3 } from '../api/client'
import { headline, letter } from '../findings/known'
import { useMeasure } from '../findings/measureStore'
import { useUnits } from '../settings/units'
import { type At, labelPlaces, type Wanting } from './labelPlaces'
import { useSeen } from './useSeen'

/** What is measured, written into the picture: the number, which is A and which is B. */
const props = defineProps<{
  index: number
  /** Of the pane, pixels. */
  width: number
  height: number
  /** Where the pointer is, if it is over this pane. */
  pointer: At | null
}>()
const measure = useMeasure()
const units = useUnits()
const seen = useSeen(() => props.index)

const middle = (a: At, b: At): At => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
const ends = computed(() => {
  const span = measure.shownSpan
  return span && ([seen(span.from_mm as Vec3), seen(span.to_mm as Vec3)] as const)
})
interface Label extends Wanting {
  id: string
  text: string
}
/** Wide enough for the text as it is set. */
const wide = (text: string) => 18 + text.length * 7.4
const HIGH = 22
/** Where hands have put them. */
const moved = reactive<Record<string, At>>({})
watch(
  () => measure.picks,
  () => Object.keys(moved).forEach((id) => delete moved[id]),
)
const labels = computed((): Label[] => {
  const all: Omit<Label, 'width' | 'height'>[] = []
  const [from, to] = ends.value ?? []
  const span = measure.shownSpan
  if (from && to && span)
    all.push({ id: 'span', text: units.length(span.length_mm, 1), at: middle(from, to) })
  all.push(...legs.value)
  measure.measured?.known.forEach((known, i) => {
    const own = placeOf(known.points_mm as Vec3[], known.lines_mm as Vec3[][])
    // Whole items are marked where they are nearest.
    const at = own ?? [from, to][i] ?? null
    // Alone it says what it is; two are told apart by their letters.
    const alone = measure.picks.length === 1
    const text = alone ? headline(known, units) : letter(i)
    if (at) all.push({ id: `thing-${i}`, text, at })
  })
  return all.map((l) => ({ ...l, width: wide(l.text), height: HIGH, moved: moved[l.id] }))
})
/** The lengths of the legs of a chain, or of a reach along the floor and upwards. */
const legs = computed(() => {
  const found: { id: string; text: string; at: At }[] = []
  const add = (id: string, mm: number, [from, to]: [Vec3, Vec3]) => {
    const [p, q] = [seen(from), seen(to)]
    if (p && q) found.push({ id, text: units.length(mm, 1), at: middle(p, q) })
  }
  measure.measured?.chain?.legs.forEach((leg, i) =>
    add(`leg-${i}`, leg.length_mm, [leg.from_mm as Vec3, leg.to_mm as Vec3]),
  )
  const [way] = measure.corner
  const level = measure.measured?.between?.smallest.level_mm
  if (way && level) {
    add('level', level[0]!, [way[0]!, way[1]!])
    add('upwards', level[1]!, [way[1]!, way[2]!])
  }
  return found
})
/** Where a thing is seen: its point, or the middle of its first line. */
function placeOf(points: Vec3[], lines: Vec3[][]): At | null {
  const line = lines[0]
  if (points[0]) return seen(points[0])
  if (!line) return null
  const [a, b] = [line[0]!, line[Math.floor(line.length / 2)]!]
  const [p, q] = [seen(a), seen(b)]
  return p && q && middle(p, q)
}
const marks = computed(() => {
  const points = measure.drawn.points.map((p) => seen(p))
  return [...points, ...(ends.value ?? [])].filter((p) => p !== null)
})
const places = computed(() => labelPlaces(labels.value, marks.value, props))
const placed = computed(() =>
  labels.value.map((label, i) => {
    const box = places.value[i]!
    const tip: At = [box.left + box.width / 2, box.top + box.height / 2]
    return { ...label, box, tip }
  }),
)
const aimed = computed(() => {
  const known = measure.aimed?.known
  return known && props.pointer ? `${headline(known, units)} · ${known.of}` : ''
})

const dragged = ref<{ id: string; x: number; y: number; from: At } | null>(null)
function grab(e: PointerEvent, label: (typeof placed.value)[number]) {
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  const from: At = [label.tip[0] - label.at[0], label.tip[1] - label.at[1]]
  dragged.value = { id: label.id, x: e.clientX, y: e.clientY, from }
}
function pull(e: PointerEvent) {
  const d = dragged.value
  if (!d) return
  moved[d.id] = [d.from[0] + e.clientX - d.x, d.from[1] + e.clientY - d.y]
}
</script>

<template>
  <svg v-if="marks.length || placed.length" class="marks" aria-hidden="true">
    <line
      v-for="label in placed"
      :key="label.id"
      :x1="label.at[0]"
      :y1="label.at[1]"
      :x2="label.tip[0]"
      :y2="label.tip[1]"
    />
    <circle v-for="(p, i) in marks" :key="i" :cx="p[0]" :cy="p[1]" r="4" />
  </svg>
  <span
    v-for="label in placed"
    :key="label.id"
    class="label number"
    :class="{ span: label.id === 'span' }"
    :data-test="`measure-${label.id}`"
    title="Drag it where it is in nobody's way"
    :style="{
      left: `${label.box.left}px`,
      top: `${label.box.top}px`,
      width: `${label.box.width}px`,
      height: `${label.box.height}px`,
    }"
    @pointerdown="grab($event, label)"
    @pointermove="pull"
    @pointerup="dragged = null"
    >{{ label.text }}</span
  >
  <span
    v-if="aimed && pointer"
    class="aimed number"
    data-test="measure-aimed"
    :style="{ left: `${pointer[0] + 16}px`, top: `${pointer[1] + 14}px` }"
    >{{ aimed }}</span
  >
</template>

<style scoped>
.marks {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.marks line {
  stroke: var(--plum);
  stroke-width: 1;
}
.marks circle {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--plum);
  stroke-width: 2;
}
.label,
.aimed {
  position: absolute;
  display: grid;
  place-items: center;
  font-size: 12px;
  font-weight: 700;
  white-space: nowrap;
  border-radius: 5px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--plum);
  color: var(--plum);
}
.label {
  cursor: grab;
  touch-action: none;
}
.span {
  background: var(--plum);
  color: rgb(var(--v-theme-surface));
}
.aimed {
  padding: 1px 7px;
  font-weight: 600;
  pointer-events: none;
}
</style>
