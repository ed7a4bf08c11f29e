<script setup lang="ts">
import { computed, inject, ref } from 'vue'

import type { Vec3 } from '../api/client'
import { add, eye } from '../scene/navigation'
import { useTours } from '../where/tourStore'
import { sceneKey } from './sceneKey'
import { useSeen } from './useSeen'

/** A tour's stops: in the other panes they can be dragged. */
const props = defineProps<{
  index: number
  /** Of the pane. */
  box: HTMLElement | undefined
}>()
const tours = useTours()
const { scene } = inject(sceneKey)!
const seen = useSeen(() => props.index)

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
  const r = props.box!.getBoundingClientRect()
  return scene.value!.spots.onPlane(props.index, e.clientX - r.left, e.clientY - r.top, through)
}
function grabStop(e: PointerEvent, i: number) {
  ;(e.currentTarget as Element).setPointerCapture(e.pointerId)
  const through = eye(tours.tour!.stops[i]!.viewpoint)
  tours.chosen = i
  dragged = { i, from: pointOf(e, through) ?? through, through }
}
function pullStop(e: PointerEvent) {
  if (!dragged) return
  const r = props.box!.getBoundingClientRect()
  shiftedBy.value = { i: dragged.i, at: [e.clientX - r.left, e.clientY - r.top] }
}
function dropStop(e: PointerEvent) {
  const [d, to] = [dragged, dragged && pointOf(e, dragged.through)]
  dragged = null
  if (d && to && shiftedBy.value) void tours.shift(d.i, add(to, d.from, -1))
  shiftedBy.value = null
}
</script>

<template>
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
</template>

<style scoped>
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
</style>
