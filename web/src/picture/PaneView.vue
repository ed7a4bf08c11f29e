<script setup lang="ts">
import { computed, inject, ref } from 'vue'

import { useKeys } from '../settings/bindings'
import type { Section, Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { useSection } from '../where/sectionStore'
import { gridPitch } from '../scene/ground'
import type { Hit } from '../scene/picking'
import { sceneKey } from './sceneKey'
import { useSettings } from '../settings/settingsStore'
import { useUnits } from '../settings/units'
import { pickedFor, useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import BearingDial from './BearingDial.vue'
import ContextMenu from './ContextMenu.vue'
import HeldDial from './HeldDial.vue'
import { add, dot, eye, widthAtPivot, withPivot } from '../scene/navigation'
import StandpointBar from '../where/StandpointBar.vue'
import { useStandpoint } from '../where/standpointStore'
import StateChips from './StateChips.vue'
import { useTours } from '../where/tourStore'
import { useHand } from './useHand'
import { useWhere } from '../where/whereStore'
import { useNotices } from '../cell/noticesStore'

const props = defineProps<{ index: number; place: number; many: boolean }>()
const emit = defineEmits<{ pointer: [at: Vec3 | null] }>()
const where = useWhere()
const what = useWhat()
const when = useWhen()
const settings = useSettings()
const findings = useFindings()
const section = useSection()
const standpoint = useStandpoint()
const tours = useTours()
const items = useItems()
const cell = useCell()
const notices = useNotices()
const units = useUnits()
const keyOf = useKeys()
const { scene, frame } = inject(sceneKey)!

const box = ref<HTMLElement>()
const menu = ref<{ x: number; y: number; hits: Hit[] } | null>(null)
const view = computed(() => where.panes[props.index]!.viewpoint)
/** Where a point appears now; it follows each drawn frame. */
const seen = (at: Vec3) =>
  frame.value >= 0 ? (scene.value?.project(props.index, at) ?? null) : null

// ---- the hand
const hand = useHand(box, props.index, () => scene.value, {
  click(at, e) {
    const hit = scene.value?.pick(props.index, ...at) ?? null
    if (where.asking) return answerAsking(at, hit)
    const ghost = what.peeking ? scene.value?.pick(props.index, ...at, true) : null
    if (ghost && !what.visible.has(ghost.item)) return what.show([ghost.item])
    what.select(hit?.item ?? null, e.ctrlKey || e.metaKey)
  },
  doubleClick(at) {
    const hit = scene.value?.pick(props.index, ...at)
    if (!hit) return void where.fitAll()
    const does = settings.looking.doubleClick
    if (does === 'fit') void where.fitSelection([hit.item])
    else if (does === 'pivot') where.change(withPivot(view.value, hit.at))
    else if (does === 'face-on' && hit.body !== undefined)
      void where.faceOn(hit.body, hit.triangle!)
  },
  rectangle(from, to, movement, e) {
    if (movement === 'fit-rectangle') {
      where.asking = null
      void where.fitPoints(hand.corners(from, to))
      return
    }
    // Drawn to the right it takes what lies wholly inside, to the left what it touches.
    const found = scene.value?.within(props.index, from, to, to[0] < from[0]) ?? []
    what.selected = new Set(e.ctrlKey || e.metaKey ? [...what.selected, ...found] : found)
  },
  menu(at) {
    const hits = scene.value?.pickAll(props.index, ...at) ?? []
    if (hits[0] && !what.selected.has(hits[0].item)) what.select(hits[0].item)
    const r = box.value!.getBoundingClientRect()
    menu.value = { x: r.left + at[0], y: r.top + at[1], hits }
  },
  hover: (hit) => emit('pointer', hit?.at ?? null),
})

/** Whether the drawn rectangle takes what it touches. */
const touching = computed(
  () =>
    !where.asking &&
    !!hand.rectangle.value &&
    hand.rectangle.value.to[0] < hand.rectangle.value.from[0],
)

/** Takes the click that an action waits for. */
function answerAsking(at: [number, number], hit: Hit | null) {
  const floor = scene.value?.onPlane(props.index, ...at, [0, 0, 0], [0, 0, 1]) ?? null
  switch (where.asking) {
    case 'stand': {
      // On something one can stand on, or the floor.
      const standable = hit?.normal && hit.normal[2] > 0.7 ? hit.at : floor
      if (!standable) return
      where.asking = null
      return standpoint.standAt(standable)
    }
    case 'camera-from':
    case 'camera-to':
      return floor && standpoint.planCamera(floor, props.index)
    case 'face-on':
      if (hit?.body === undefined) return
      where.asking = null
      return void where.faceOn(hit.body, hit.triangle!)
    case 'places': {
      if (!hit?.normal || !items.picking) return
      const first = !items.picking.places.length
      const family = new Set([...what.selected].flatMap((id) => cell.family(id)))
      if (pickedFor[items.picking.for].own && first !== family.has(hit.item))
        return notices.say(
          first ? 'Click a place of the selection first.' : 'Click a place of something else.',
        )
      return void picked(at, hit)
    }
    case 'pivot':
      if (!hit) return
      where.asking = null
      return where.change(withPivot(view.value, hit.at))
  }
}
/** Where points are picked, a vertex near the pointer is taken. */
async function picked(at: [number, number], hit: Hit) {
  const point = pickedFor[items.picking!.for].corners
    ? scene.value!.cornerNear(props.index, hit, at)
    : hit.at
  if (await items.picked({ ...hit, at: point, normal: hit.normal! })) where.asking = null
}
const planned = computed(() => (standpoint.planned ? seen(standpoint.planned) : null))

// ---- the section's handle
const handle = computed(() => {
  const s = section.section
  if (!s || findings.shown) return null
  const [at, tip] = [seen(s.point_mm as Vec3), seen(add(s.point_mm as Vec3, s.normal as Vec3, 100))]
  return at && tip ? { at, direction: [tip[0] - at[0], tip[1] - at[1]] as const } : null
})
let grip: { x: number; y: number; from: Section } | null = null
function grab(e: PointerEvent) {
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  grip = { x: e.clientX, y: e.clientY, from: section.section! }
}
function pull(e: PointerEvent) {
  if (!grip || !handle.value) return
  const [hx, hy] = handle.value.direction
  const length = hx * hx + hy * hy
  if (length < 1) return
  const by = (((e.clientX - grip.x) * hx + (e.clientY - grip.y) * hy) / length) * 100
  section.section = {
    ...grip.from,
    point_mm: add(grip.from.point_mm as Vec3, grip.from.normal as Vec3, by),
  }
}
const handleName = computed(() => {
  const s = section.section
  return s
    ? `Section at ${units.length(dot(s.point_mm as Vec3, s.normal as Vec3))} along its normal; drag to move`
    : ''
})

// ---- the label of a closest approach
const label = computed(() => {
  const pair = findings.shown
  if (!pair || Math.abs(when.time - pair.time_s) > 1e-6) return null
  const at = seen(pair.on_a_mm as Vec3)
  return at ? { at, pair } : null
})

// ---- a tour's stops: in the other panes they can be dragged
const stops = computed(() => {
  if (!tours.tour) return []
  return tours.tour.stops.flatMap((stop, i) => {
    const at = seen(eye(stop.viewpoint))
    return at && props.index !== tours.pane ? [{ at, stop, i }] : []
  })
})
let dragged: { i: number; from: Vec3; through: Vec3 } | null = null
const shiftedBy = ref<{ i: number; at: [number, number] } | null>(null)
const pointOf = (e: PointerEvent, through: Vec3) => {
  const r = box.value!.getBoundingClientRect()
  return scene.value!.onPlane(props.index, e.clientX - r.left, e.clientY - r.top, through)
}
function grabStop(e: PointerEvent, i: number) {
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  const through = eye(tours.tour!.stops[i]!.viewpoint)
  tours.chosen = i
  dragged = { i, from: pointOf(e, through) ?? through, through }
}
function pullStop(e: PointerEvent) {
  if (!dragged) return
  const r = box.value!.getBoundingClientRect()
  shiftedBy.value = { i: dragged.i, at: [e.clientX - r.left, e.clientY - r.top] }
}
function dropStop(e: PointerEvent) {
  const [d, to] = [dragged, dragged && pointOf(e, dragged.through)]
  dragged = null
  if (d && to && shiftedBy.value) void tours.shift(d.i, add(to, d.from, -1))
  shiftedBy.value = null
}

/** Handles hear the pointer where it is; Ctrl moves them in steps. */
const aim = (e: PointerEvent) =>
  scene.value?.aimHandles(props.index, box.value!, e.ctrlKey, items.carry)
const draggedBy = computed(() => {
  const d = items.dragged
  if (!d || where.active !== props.index) return ''
  const [x, y, z] = d.by_mm.map((mm) => units.number(mm))
  return items.handles === 'turn'
    ? `turned by ${units.angle(d.turn_deg)}`
    : `${x}  ${y}  ${z} ${units.sign.value}`
})

const pivotAt = computed(() => (hand.pivot.value ? seen(hand.pivot.value) : null))
const spacing = computed(() => {
  const mm = Math.round(gridPitch(widthAtPivot(view.value) / 1e3) * 1e3)
  return settings.units.length === 'mm' && mm >= 1000 ? `${mm / 1000} m` : units.short(mm)
})
const asked = {
  stand: 'Click where to stand',
  'camera-from': 'Click where the camera stands',
  'camera-to': 'Click what it looks at',
  rectangle: 'Draw a rectangle round what to fit',
  'face-on': 'Click the face to look at square on',
  pivot: 'Click the point to turn about',
  places: '',
}
const question = computed(() => {
  if (where.asking !== 'places') return where.asking ? asked[where.asking] : ''
  return items.picking ? pickedFor[items.picking.for].asks[items.picking.places.length] : ''
})
defineExpose({ ahead: hand.ahead })
</script>

<template>
  <div class="pane" :class="{ active: many && where.active === index }">
    <div
      ref="box"
      class="hand"
      tabindex="0"
      role="application"
      :aria-label="`Pane ${place + 1}`"
      :data-test="`pane-${place}`"
      :class="{ asking: where.asking }"
      @pointermove.capture="aim"
      @pointerdown.capture="aim"
      @pointerup.capture="aim"
    />
    <StateChips :index="index" />
    <span
      v-if="settings.furniture.grid && (standpoint.mode === null || standpoint.pane !== index)"
      class="spacing number"
      data-test="grid-spacing"
      >Grid {{ spacing }}</span
    >
    <div
      v-if="pivotAt"
      class="pivot"
      data-test="pivot"
      :style="{ left: `${pivotAt[0]}px`, top: `${pivotAt[1]}px` }"
    />
    <div
      v-if="hand.rectangle.value"
      class="rectangle"
      :class="{ touching }"
      :style="{
        left: `${Math.min(hand.rectangle.value.from[0], hand.rectangle.value.to[0])}px`,
        top: `${Math.min(hand.rectangle.value.from[1], hand.rectangle.value.to[1])}px`,
        width: `${Math.abs(hand.rectangle.value.to[0] - hand.rectangle.value.from[0])}px`,
        height: `${Math.abs(hand.rectangle.value.to[1] - hand.rectangle.value.from[1])}px`,
      }"
    >
      <span v-if="!where.asking" data-test="rectangle-takes">{{
        touching ? 'takes what it touches' : 'takes what lies inside'
      }}</span>
    </div>
    <button
      v-if="handle"
      class="handle"
      data-test="section-handle"
      :title="handleName"
      :aria-label="handleName"
      :style="{
        left: `${handle.at[0]}px`,
        top: `${handle.at[1]}px`,
        rotate: `${Math.atan2(handle.direction[1], handle.direction[0])}rad`,
      }"
      @pointerdown="grab"
      @pointermove="pull"
      @pointerup="grip = null"
    >
      <svg width="44" height="22" viewBox="-22 -11 44 22">
        <path d="M-20 0 L-11 -6 V-2 H11 V-6 L20 0 L11 6 V2 H-11 V6 Z" />
      </svg>
    </button>
    <div
      v-if="label"
      class="gap"
      data-test="gap-label"
      :style="{ left: `${label.at[0]}px`, top: `${label.at[1]}px` }"
    >
      <b class="number">{{ units.length(label.pair.attained_mm) }}</b> needs
      {{ units.short(label.pair.required_mm) }}
    </div>
    <button
      v-for="{ at, stop, i } in stops"
      :key="i"
      class="stop number"
      :class="{ chosen: tours.chosen === i }"
      :title="`${stop.name}; drag to move this stop`"
      :data-test="`tour-stop-mark-${i}`"
      :style="{
        left: `${shiftedBy?.i === i ? shiftedBy.at[0] : at[0]}px`,
        top: `${shiftedBy?.i === i ? shiftedBy.at[1] : at[1]}px`,
      }"
      @pointerdown="grabStop($event, i)"
      @pointermove="pullStop"
      @pointerup="dropStop"
    >
      {{ i + 1 }}
    </button>
    <div v-if="draggedBy" class="dragged number" role="status" data-test="dragged">
      {{ draggedBy }}
    </div>
    <div
      v-if="planned"
      class="planned"
      :style="{ left: `${planned[0]}px`, top: `${planned[1]}px` }"
    />
    <div v-if="where.asking && where.active === index" class="asked" role="status">
      {{ question }} <kbd>{{ keyOf('escape') }}</kbd> leaves it
    </div>
    <BearingDial
      v-if="standpoint.mode === null || standpoint.pane !== index"
      :index="index"
      :small="many"
    />
    <StandpointBar v-else :ahead="hand.ahead" />
    <HeldDial :index="index" />
    <ContextMenu v-if="menu" :x="menu.x" :y="menu.y" :hits="menu.hits" @close="menu = null" />
  </div>
</template>

<style scoped>
.pane {
  position: absolute;
  overflow: hidden;
}
.active {
  box-shadow: inset 0 0 0 2px var(--accent);
}
.hand {
  position: absolute;
  inset: 0;
  touch-action: none;
  outline-offset: -3px;
}
.hand:focus-visible {
  outline: none;
}
.asking {
  cursor: crosshair;
}
.pivot {
  position: absolute;
  width: 14px;
  height: 14px;
  margin: -7px;
  border: 2px solid var(--plum);
  border-radius: 50%;
  pointer-events: none;
}
.pivot::after {
  content: '';
  position: absolute;
  inset: 3px;
  border-radius: 50%;
  background: var(--plum);
}
.rectangle {
  position: absolute;
  border: 1.5px solid var(--plum);
  background: var(--plum-tint);
  pointer-events: none;
}
.touching {
  border-style: dashed;
}
.rectangle span {
  position: absolute;
  left: 0;
  top: 100%;
  padding: 1px 6px;
  font-size: 11px;
  white-space: nowrap;
  color: rgb(var(--v-theme-surface));
  background: var(--plum);
}
.handle {
  position: absolute;
  width: 44px;
  height: 22px;
  margin: -11px -22px;
  cursor: grab;
  touch-action: none;
}
.handle path {
  fill: var(--accent);
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 1.5;
}
.gap {
  position: absolute;
  translate: -50% 26px;
  padding: 3px 9px;
  white-space: nowrap;
  pointer-events: none;
  background: rgb(var(--v-theme-surface));
  border: 1.5px solid rgb(var(--v-theme-error));
  border-radius: 5px;
}
.gap b {
  color: rgb(var(--v-theme-error));
}
.spacing {
  position: absolute;
  right: 10px;
  bottom: 8px;
  font-size: 11px;
  padding: 0 5px;
  border-radius: 4px;
  color: var(--soft);
  background: color-mix(in srgb, rgb(var(--v-theme-background)) 75%, transparent);
  pointer-events: none;
}
.stop {
  position: absolute;
  width: 20px;
  height: 20px;
  margin: -10px;
  border-radius: 50%;
  font-size: 11px;
  background: rgb(var(--v-theme-surface));
  border: 2px solid var(--accent);
  cursor: grab;
  touch-action: none;
}
.chosen {
  background: var(--accent);
  color: rgb(var(--v-theme-surface));
}
.planned {
  position: absolute;
  width: 12px;
  height: 12px;
  margin: -6px;
  border-radius: 50%;
  background: var(--accent);
  pointer-events: none;
}
.dragged {
  position: absolute;
  left: 50%;
  bottom: 16px;
  translate: -50% 0;
  padding: 3px 12px;
  border-radius: 12px;
  background: var(--plum);
  color: #fff;
  pointer-events: none;
  white-space: pre;
}
.asked {
  position: absolute;
  left: 50%;
  top: 50px;
  translate: -50% 0;
  padding: 5px 14px;
  border-radius: 14px;
  background: var(--accent);
  color: rgb(var(--v-theme-surface));
  pointer-events: none;
  white-space: nowrap;
}
</style>
