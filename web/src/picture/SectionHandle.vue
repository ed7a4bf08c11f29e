<script setup lang="ts">
import { computed } from 'vue'

import type { Section, Vec3 } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import { add, dot } from '../scene/navigation'
import { useUnits } from '../settings/units'
import { useSection } from '../where/sectionStore'
import { useSeen } from './useSeen'

/** An arrow on the plane of the section that pushes it along its normal. */
const props = defineProps<{ index: number }>()
const findings = useFindings()
const section = useSection()
const units = useUnits()
const seen = useSeen(() => props.index)

const handle = computed(() => {
  const s = section.placed
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
  section.shift(by * Math.hypot(...grip.from.normal), grip.from)
}
const handleName = computed(() => {
  const s = section.placed
  if (!s) return ''
  const along = dot(s.point_mm as Vec3, s.normal as Vec3)
  return `Section at ${units.length(along)} along its normal; drag to move`
})
</script>

<template>
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
</template>

<style scoped>
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
</style>
