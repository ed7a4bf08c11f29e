<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, inject, ref } from 'vue'

import { useKeys } from '../settings/bindings'
import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { gridPitch } from '../scene/ground'
import type { Hit } from '../scene/picking'
import { sceneKey } from './sceneKey'
import { useSettings } from '../settings/settingsStore'
import { useUnits } from '../settings/units'
import { useHeld } from '../what/heldStore'
import { useItems } from '../what/itemsStore'
import { pickedFor } from '../what/pickedFor'
import { useWhat } from '../what/whatStore'
import BearingDial from './BearingDial.vue'
import ContextMenu from './ContextMenu.vue'
import EvidenceLabel from './EvidenceLabel.vue'
import FaultLabel from './FaultLabel.vue'
import HeldDial from './HeldDial.vue'
import MeasureLabels from './MeasureLabels.vue'
import SectionHandle from './SectionHandle.vue'
import TourStops from './TourStops.vue'
import TryingCard from './TryingCard.vue'
import { useSeen } from './useSeen'
import { widthAtPivot, withPivot } from '../scene/navigation'
import StandpointBar from '../where/StandpointBar.vue'
import { useStandpoint } from '../where/standpointStore'
import StateChips from './StateChips.vue'
import { useHand } from './useHand'
import { useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'
import { useNotices } from '../cell/noticesStore'
import { type Met, useMeasure, type Wanted } from '../findings/measureStore'

const props = defineProps<{ index: number; place: number; many: boolean }>()
const emit = defineEmits<{ pointer: [at: Vec3 | null] }>()
const where = useWhere()
const what = useWhat()
const settings = useSettings()
const standpoint = useStandpoint()
const items = useItems()
const held = useHeld()
const cell = useCell()
const notices = useNotices()
const units = useUnits()
const section = useSection()
const measure = useMeasure()
const keyOf = useKeys()
const { scene } = inject(sceneKey)!

const box = ref<HTMLElement>()
const menu = ref<{ x: number; y: number; hits: Hit[] } | null>(null)
const view = computed(() => where.panes[props.index]!.viewpoint)
const seen = useSeen(() => props.index)
const { width, height } = useElementSize(box)

// ---- the hand
const hand = useHand(box, props.index, () => scene.value, {
  click(at, e) {
    const hit = scene.value?.spots.pick(props.index, ...at) ?? null
    if (measure.picking) return hit ? void measure.click(met(hit), wanted(e), chains(e)) : undefined
    if (where.asking) return answerAsking(at, hit)
    const ghost = what.peeking ? scene.value?.spots.pick(props.index, ...at, true) : null
    if (ghost && !what.visible.has(ghost.item)) return what.show([ghost.item])
    what.select(hit?.item ?? null, e.ctrlKey || e.metaKey)
  },
  doubleClick(at) {
    const hit = scene.value?.spots.pick(props.index, ...at)
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
    const found = scene.value?.spots.within(props.index, from, to, to[0] < from[0]) ?? []
    what.selected = new Set(e.ctrlKey || e.metaKey ? [...what.selected, ...found] : found)
  },
  menu(at) {
    const hits = scene.value?.spots.pickAll(props.index, ...at) ?? []
    if (hits[0] && !what.selected.has(hits[0].item)) what.select(hits[0].item)
    const r = box.value!.getBoundingClientRect()
    menu.value = { x: r.left + at[0], y: r.top + at[1], hits }
  },
  hover(hit, at, e) {
    emit('pointer', hit?.at ?? null)
    pointer.value = hit && at
    if (measure.picking) void measure.aim(hit && met(hit), wanted(e))
  },
})

// ---- measuring
const pointer = ref<[number, number] | null>(null)
/** From how far a corner is meant rather than the face, pixels. */
const NEAR = 10
const met = (hit: Hit): Met => ({
  ...hit,
  near_mm: NEAR * (scene.value?.spots.pixel(props.index, hit.at) ?? 1),
})
/** Held down, it is one more link of a chain. */
const chains = (e: PointerEvent) => e.ctrlKey || e.metaKey
function wanted(e: { shiftKey: boolean; altKey: boolean }): Wanted {
  if (e.shiftKey) return 'item'
  return e.altKey ? 'spot' : 'nearest'
}

/** Whether the drawn rectangle takes what it touches. */
const touching = computed(
  () =>
    !where.asking &&
    !!hand.rectangle.value &&
    hand.rectangle.value.to[0] < hand.rectangle.value.from[0],
)

/** Takes the click that an action waits for. */
function answerAsking(at: [number, number], hit: Hit | null) {
  const floor = scene.value?.spots.onPlane(props.index, ...at, [0, 0, 0], [0, 0, 1]) ?? null
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
    case 'cut-point':
      if (!hit) return
      where.asking = null
      section.goThrough(hit.at)
      return
    case 'cut-face':
      if (!hit?.normal) return
      where.asking = null
      return section.addAlong(hit.at, hit.normal)
    case 'cut-edge':
      if (hit?.body === undefined) return
      where.asking = null
      return void section.addSquareTo({ ...met(hit), body: hit.body, triangle: hit.triangle! })
    case 'cut-points':
      if (!hit) return
      if (section.addThrough(scene.value!.spots.cornerNear(props.index, hit, at)))
        where.asking = null
      return
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
    ? scene.value!.spots.cornerNear(props.index, hit, at)
    : hit.at
  if (await items.picked({ ...hit, at: point, normal: hit.normal! })) where.asking = null
}
const planned = computed(() => (standpoint.planned ? seen(standpoint.planned) : null))

/** Handles hear the pointer where it is; Ctrl moves them in steps. */
const aim = (e: PointerEvent) => {
  const view = scene.value?.spots.view(props.index)
  if (view) scene.value!.stage.aimHandles(view, box.value!, e.ctrlKey, items.carry)
}
const draggedBy = computed(() => {
  const d = held.dragged
  if (!d || where.active !== props.index) return ''
  const [x, y, z] = d.by_mm.map((mm) => units.number(mm))
  return held.on?.mode === 'turn'
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
  'cut-face': 'Click the face to cut along',
  'cut-point': 'Click the point to cut through',
  'cut-edge': 'Click the edge, hole or pin to cut square to',
  'cut-points': '',
  pivot: 'Click the point to turn about',
  measure: 'Click a corner, edge or face; Shift the whole item, Alt just the spot, Ctrl a chain',
  places: '',
}
const question = computed(() => {
  const nth = ['first', 'second', 'third'][section.through.length]
  if (where.asking === 'cut-points') return `Click the ${nth} point of the cut`
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
    <SectionHandle :index="index" />
    <EvidenceLabel :index="index" :width="width" :height="height" />
    <MeasureLabels :index="index" :width="width" :height="height" :pointer="pointer" />
    <FaultLabel :index="index" />
    <TourStops :index="index" :box="box" />
    <TryingCard v-if="draggedBy" />
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
  color: rgb(var(--v-theme-surface));
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
.asked kbd {
  color: inherit;
  background: none;
  border-color: currentcolor;
}
</style>
