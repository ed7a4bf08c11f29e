<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { useElementSize } from '@vueuse/core'
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'

import { useCell } from '../cell/cellStore'
import { deliver } from '../cell/deliver'
import { useNotices } from '../cell/noticesStore'
import { useReach } from '../findings/reachStore'
import { gridPitch } from '../scene/ground'
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import { type Drawing, type Flat, type Format, useDrawing } from '../where/drawingStore'
import { useSection } from '../where/sectionStore'
import DrawnItems from './DrawnItems.vue'
import * as flat from './flatView'

/** The section as a flat drawing: outlines, hatching, numbers of items, distances by clicking. */
const cell = useCell()
const store = useDrawing()
const section = useSection()
const notices = useNotices()
const reach = useReach()
const units = useUnits()
const keyOf = useKeys()

const paper = ref<SVGSVGElement>()
const { width, height } = useElementSize(paper)
const size = computed(() => ({ width: width.value || 600, height: height.value || 400 }))
/** What a hand has made of it; until then all of it is fitted, however large the paper is. */
const view = ref<flat.FlatView | null>(null)
/** What is fitted: the drawing as it was first, so that it stays where it is while things move. */
const first = shallowRef<Drawing | null>(null)
const all = computed(() => first.value && flat.fitted(first.value, size.value))
const shown = computed(() => view.value ?? all.value ?? { middle: [0, 0] as Flat, pixel: 1 })
function fit() {
  view.value = null
  first.value = store.drawing
}
watch(
  () => store.drawing,
  (drawing) => (first.value ??= drawing),
  { immediate: true },
)
function fitItem(id: string) {
  const item = store.drawing?.items.find((i) => i.item === id)
  if (item) view.value = flat.fitted({ ...store.drawing!, items: [item] }, size.value)
}
// Another plane is another drawing.
watch([() => store.plane, () => section.at, () => section.section?.normal], () => {
  view.value = null
  first.value = null
})

const box = computed(() => {
  const { middle, pixel } = shown.value
  const [w, h] = [size.value.width * pixel, size.value.height * pixel]
  return { left: middle[0] - w / 2, top: -middle[1] - h / 2, w, h }
})
const viewBox = computed(() => {
  const { left, top, w, h } = box.value
  return `${left} ${top} ${w} ${h}`
})
const pitch = computed(() => gridPitch(box.value.w / 1e3) * 1e3)
const grid = computed(() => {
  const { left, top, w, h } = box.value
  const lines: string[] = []
  const step = pitch.value
  for (let x = Math.ceil(left / step) * step; x < left + w; x += step)
    lines.push(`M${x} ${top}V${top + h}`)
  for (let y = Math.ceil(top / step) * step; y < top + h; y += step)
    lines.push(`M${left} ${y}H${left + w}`)
  return lines.join('')
})
const items = computed(() => store.drawing?.items ?? [])
/** ISO 128-3: 45°, neighbours in another direction or spacing. */
const hatches = computed(() =>
  [...new Set(items.value.map((i) => i.hatch))].map((hatch) => ({
    hatch,
    turn: hatch % 2 ? -45 : 45,
    gap: [7, 11, 5][Math.floor(hatch / 2) % 3]! * shown.value.pixel,
  })),
)
const axes = computed(() => {
  const { right, up } = store.drawing ?? { right: [], up: [] }
  return { right: flat.axisName(right), up: flat.axisName(up) }
})
const pointedAt = ref<string | null>(null)

/** The outline of what the robot chosen for its reach can reach. */
const reached = ref(false)
watch([reached, () => reach.tcp, () => reach.of], ([isOn, tcp, of]) => {
  store.reach = isOn && tcp ? { tcp, of } : null
})
onUnmounted(() => (store.reach = null))
const reachedTold = computed(() => {
  const of = { wrist: 'the wrist', tcp: 'the TCP as it is' }[reach.of]
  return `Outline of what ${of} can reach (${cell.items.get(reach.tcp ?? '')?.name})`
})

// ---- the hand
const pointer = ref<Flat | null>(null)
const NEAR = 12
/** What a click would take: a corner near the pointer, or the place itself. */
const meant = computed((): Flat | null => {
  if (!pointer.value || !store.drawing) return null
  const at = flat.under(shown.value, size.value, pointer.value)
  return flat.cornerNear(store.drawing, at, NEAR * shown.value.pixel) ?? at
})
const local = (e: PointerEvent | WheelEvent): Flat => {
  const r = paper.value!.getBoundingClientRect()
  return [e.clientX - r.left, e.clientY - r.top]
}
let grip: { at: Flat; moved: boolean } | null = null
function down(e: PointerEvent) {
  paper.value!.setPointerCapture(e.pointerId)
  grip = { at: local(e), moved: false }
}
function move(e: PointerEvent) {
  pointer.value = local(e)
  if (!grip) return
  const [dx, dy] = [pointer.value[0] - grip.at[0], pointer.value[1] - grip.at[1]]
  if (!grip.moved && Math.hypot(dx, dy) < 4) return
  view.value = flat.shifted(shown.value, dx, dy)
  grip = { at: pointer.value, moved: true }
}
function up(e: PointerEvent) {
  const clicked = grip && !grip.moved && e.button === 0
  grip = null
  if (clicked && meant.value) store.place(meant.value)
}
function wheel(e: WheelEvent) {
  view.value = flat.nearer(shown.value, size.value, local(e), Math.exp(-e.deltaY * 0.0015))
}
const STEP = 40
function key(e: KeyboardEvent) {
  const middle: Flat = [size.value.width / 2, size.value.height / 2]
  const by = {
    ArrowLeft: () => flat.shifted(shown.value, STEP, 0),
    ArrowRight: () => flat.shifted(shown.value, -STEP, 0),
    ArrowUp: () => flat.shifted(shown.value, 0, STEP),
    ArrowDown: () => flat.shifted(shown.value, 0, -STEP),
    '+': () => flat.nearer(shown.value, size.value, middle, 1.25),
    '-': () => flat.nearer(shown.value, size.value, middle, 0.8),
  }[e.key]
  if (!by) return
  e.preventDefault()
  e.stopPropagation()
  view.value = by()
}

const distances = computed(() =>
  store.dimensions.map(({ from_mm, to_mm, length_mm }) => {
    const [a, b] = [from_mm as Flat, to_mm as Flat]
    const at: Flat = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]
    return { a, b, at, text: units.length(length_mm, 1) }
  }),
)
const said = computed(() => {
  if (!meant.value) return store.begun ? 'Click where the distance ends' : ''
  return meant.value.map((mm) => units.number(mm, 1)).join('  ')
})
const title = computed(() => `Section ${section.at + 1}`)
const files: Record<Format, string> = { svg: 'SVG', dxf: 'DXF', csv: 'CSV' }
async function take(format: Format) {
  try {
    deliver(await store.file(format, title.value), `section.${format}`)
  } catch (e) {
    notices.say(e)
  }
}
</script>

<template>
  <section class="drawing" aria-label="Drawing of the section" data-test="section-drawing">
    <header>
      <b>Drawing of the section</b>
      <label v-if="store.planes > 1"
        >plane
        <select v-model.number="store.plane" aria-label="Plane of the section">
          <option v-for="n in store.planes" :key="n" :value="n - 1">{{ n }}</option>
        </select></label
      >
      <label v-if="reach.tcps.length" :title="reachedTold"
        ><input v-model="reached" type="checkbox" data-test="drawing-reach" /> outline of
        reach</label
      >
      <span v-if="store.drawing?.reach_refused" class="refused" role="alert">{{
        store.drawing.reach_refused
      }}</span>
      <span v-else class="soft">two clicks measure a distance</span>
      <span class="grow" />
      <button class="link" data-test="drawing-fit" @click="fit">Fit</button>
      <button
        v-for="(name, format) in files"
        :key="format"
        class="link"
        :title="`Take it away as ${name}`"
        :data-test="`drawing-${format}`"
        @click="take(format)"
      >
        {{ name }}
      </button>
      <button
        :title="`Close (${keyOf('escape')})`"
        :aria-label="`Close the drawing`"
        data-test="drawing-close"
        @click="store.open = false"
      >
        <v-icon :icon="mdiClose" size="16" />
      </button>
    </header>
    <div class="body">
      <div class="sheet">
        <svg
          ref="paper"
          class="paper"
          tabindex="0"
          role="application"
          aria-label="The drawing; arrow keys move it, plus and minus come nearer and go back"
          :viewBox="viewBox"
          data-test="drawing-paper"
          @pointerdown="down"
          @pointermove="move"
          @pointerup="up"
          @pointerleave="pointer = null"
          @wheel.prevent="wheel"
          @keydown="key"
        >
          <defs>
            <pattern
              v-for="h in hatches"
              :id="`drawn-hatch-${h.hatch}`"
              :key="h.hatch"
              :width="h.gap"
              :height="h.gap"
              :patternTransform="`rotate(${h.turn})`"
              patternUnits="userSpaceOnUse"
            >
              <path :d="`M0 0H${h.gap}`" class="hatching" :stroke-width="shown.pixel * 0.8" />
            </pattern>
          </defs>
          <path :d="grid" class="grid" />
          <path :d="`M${box.left} 0H${box.left + box.w}`" class="axis" />
          <path :d="`M0 ${box.top}V${box.top + box.h}`" class="axis" />
          <g
            v-for="item in items"
            :key="item.item"
            :class="{ pointed: pointedAt === item.item }"
            data-test="drawn-item"
          >
            <path
              class="outline"
              fill-rule="evenodd"
              :fill="`url(#drawn-hatch-${item.hatch})`"
              :d="flat.pathOf(item.outlines_mm, true)"
            />
            <path v-if="item.open_mm.length" class="open" :d="flat.pathOf(item.open_mm, false)" />
          </g>
          <path
            v-if="store.drawing?.reach_mm"
            class="reach"
            :d="flat.pathOf(store.drawing.reach_mm, false)"
            data-test="drawn-reach"
          />
          <g v-for="(d, i) in distances" :key="i" class="distance">
            <path :d="flat.pathOf([[d.a, d.b]], false)" />
            <circle
              v-for="(p, end) in [d.a, d.b]"
              :key="end"
              :cx="p[0]"
              :cy="-p[1]"
              :r="3 * shown.pixel"
            />
          </g>
          <path
            v-if="store.begun && meant"
            class="distance begun"
            :d="flat.pathOf([[store.begun, meant]], false)"
          />
          <circle v-if="meant" class="meant" :cx="meant[0]" :cy="-meant[1]" :r="5 * shown.pixel" />
        </svg>
        <span
          v-for="(d, i) in distances"
          :key="i"
          class="label number"
          data-test="drawing-distance"
          title="Click to take it away"
          :style="{
            left: `${(d.at[0] - box.left) / shown.pixel}px`,
            top: `${(-d.at[1] - box.top) / shown.pixel}px`,
          }"
          @click="store.removeDimension(i)"
          >{{ d.text }}</span
        >
        <span class="corner soft number">Grid {{ units.short(pitch) }}</span>
        <span class="axes soft">{{ axes.right }} → {{ axes.up }} ↑</span>
        <span class="said number" data-test="drawing-at">{{ said }}</span>
        <p v-if="store.drawing && !items.length" class="none soft">
          Nothing that is shown is cut by this plane.
        </p>
      </div>
      <DrawnItems v-model="pointedAt" class="items" @fit="fitItem" />
    </div>
  </section>
</template>

<style scoped>
.drawing {
  position: absolute;
  inset: 0;
  display: flex;
  flex-direction: column;
  background: rgb(var(--v-theme-background));
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
  padding: 6px 12px;
  font-size: 12px;
  border-bottom: 1px solid var(--line);
  background: rgb(var(--v-theme-surface));
}
.grow {
  flex: 1;
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.body {
  flex: 1;
  min-height: 0;
  display: flex;
}
.sheet {
  position: relative;
  flex: 1;
  min-width: 0;
  overflow: hidden;
}
.paper {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
  cursor: crosshair;
}
.grid,
.axis,
.outline,
.open,
.reach,
.distance path,
.begun {
  vector-effect: non-scaling-stroke;
}
.grid,
.axis,
.open,
.reach,
.begun {
  fill: none;
}
.hatching {
  stroke: rgb(var(--v-theme-on-background));
}
.grid {
  stroke: var(--line);
  stroke-width: 0.6;
}
.axis {
  stroke: var(--soft);
  stroke-width: 1;
  stroke-dasharray: 10 3 2 3;
}
.outline {
  stroke: rgb(var(--v-theme-on-background));
  stroke-width: 1.6;
}
.open {
  stroke: rgb(var(--v-theme-error));
  stroke-width: 2;
  stroke-dasharray: 6 4;
}
.reach {
  stroke: rgb(var(--v-theme-primary));
  stroke-width: 2;
}
.refused {
  color: rgb(var(--v-theme-error));
}
.pointed .outline {
  stroke: var(--plum);
  stroke-width: 3;
}
.distance {
  stroke: var(--plum);
  stroke-width: 1.5;
}
.distance circle {
  fill: var(--plum);
  stroke: none;
}
.begun {
  stroke-dasharray: 4 3;
}
.meant {
  fill: none;
  stroke: var(--plum);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.label {
  position: absolute;
  translate: -50% -130%;
  padding: 0 6px;
  font-size: 12px;
  font-weight: 700;
  border-radius: 4px;
  cursor: pointer;
  background: var(--plum);
  color: rgb(var(--v-theme-surface));
}
.corner,
.axes,
.said {
  position: absolute;
  bottom: 6px;
  font-size: 11px;
  pointer-events: none;
}
.corner {
  left: 12px;
}
.axes {
  left: 110px;
}
.said {
  left: 190px;
  white-space: pre;
}
.none {
  position: absolute;
  inset: 40% 0 auto;
  text-align: center;
  pointer-events: none;
}
.items {
  flex: none;
  padding: 8px;
  border-left: 1px solid var(--line);
  background: rgb(var(--v-theme-surface));
}
</style>
