<script setup lang="ts">
import { mdiChevronDown } from '@mdi/js'
import { computed } from 'vue'

import { useKeys } from '../settings/bindings'
import type { Vec3, Viewpoint } from '../api/client'
import { useUnits } from '../settings/units'
import { halfAngle, withPivot } from '../scene/navigation'
import { useWhere } from './whereStore'

const where = useWhere()
const keyOf = useKeys()
const units = useUnits()
const v = computed(() => where.viewpoint)
const degrees = computed(() => ((2 * halfAngle(v.value.lens_mm) * 180) / Math.PI).toFixed(1))
const label = computed(() =>
  v.value.projection === 'parallel' ? 'Parallel' : `Persp. ${v.value.lens_mm.toFixed(0)} mm`,
)
const lenses = [18, 24, 35, 50, 85, 135]

function number(e: Event): number | null {
  const field = e.target as HTMLInputElement
  const value = Number.parseFloat(field.value.replace(',', '.'))
  return Number.isFinite(value) ? value : null
}
function typed(e: Event, take: (value: number) => unknown, shown: () => string) {
  const value = number(e)
  if (value !== null) take(value)
  ;(e.target as HTMLInputElement).value = shown()
}
function measured(e: Event, now: number, take: (mm: number) => unknown, shown: () => number) {
  const field = e.target as HTMLInputElement
  const mm = units.lengthTyped(field.value, now)
  if (mm !== null) take(mm)
  field.value = units.number(shown(), -1)
}
function setPivot(axis: number, value: number) {
  const at = [...v.value.pivot_mm] as Vec3
  at[axis] = value
  where.change(withPivot(v.value, at))
}
const set = (by: Partial<Viewpoint>) => where.change({ ...v.value, ...by })
const NEAREST_MM = 30
function distanceTyped(e: Event) {
  const take = (mm: number) => set({ distance_mm: Math.max(NEAREST_MM, mm) })
  measured(e, v.value.distance_mm, take, () => v.value.distance_mm)
}
function rollTyped(e: Event) {
  const take = (roll_deg: number) => set({ roll_deg })
  typed(e, take, () => v.value.roll_deg.toFixed(1))
}
function pivotTyped(axis: number, e: Event) {
  const now = () => v.value.pivot_mm[axis]!
  measured(e, now(), (mm) => setPivot(axis, mm), now)
}
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <v-btn
        v-bind="menu"
        :append-icon="mdiChevronDown"
        :title="`Projection, lens and pivot (${keyOf('projection')} switches the projection)`"
        data-test="projection"
        >{{ label }}</v-btn
      >
    </template>
    <div class="lens" role="dialog" aria-label="Projection, lens and pivot">
      <div class="two">
        <button
          :class="{ on: v.projection === 'perspective' }"
          data-test="perspective"
          @click="where.setProjection('perspective')"
        >
          Perspective
        </button>
        <button
          :class="{ on: v.projection === 'parallel' }"
          data-test="parallel"
          @click="where.setProjection('parallel')"
        >
          Parallel
        </button>
      </div>
      <h2>Lens <span class="soft">widens the view; the camera stays</span></h2>
      <div class="row">
        <input
          class="number"
          :value="v.lens_mm.toFixed(0)"
          :disabled="v.projection === 'parallel'"
          aria-label="Lens, mm"
          data-test="lens"
          @change="typed($event, where.setLens, () => v.lens_mm.toFixed(0))"
        />
        mm <span class="number soft" data-test="lens-degrees">{{ degrees }}°</span> across
      </div>
      <div class="row">
        <button
          v-for="mm in lenses"
          :key="mm"
          class="chip"
          :class="{ on: Math.abs(v.lens_mm - mm) < 0.5 }"
          :disabled="v.projection === 'parallel'"
          @click="where.setLens(mm)"
        >
          {{ mm }}
        </button>
      </div>
      <h2>Camera <span class="soft">moves; the lens stays</span></h2>
      <div class="row">
        Distance
        <input
          class="number"
          :value="units.number(v.distance_mm, -1)"
          :aria-label="`Distance of the eye from the pivot, ${units.sign.value}`"
          @change="distanceTyped"
        />
        {{ units.sign }}
      </div>
      <div class="row">
        Roll
        <input
          class="number"
          :value="v.roll_deg.toFixed(1)"
          aria-label="Roll, degrees"
          data-test="roll"
          @change="rollTyped"
        />
        °
        <button class="text" @click="where.level">Level</button>
      </div>
      <h2>Pivot <span class="soft">what the view turns about</span></h2>
      <div class="row">
        <template v-for="(axis, i) in ['X', 'Y', 'Z']" :key="axis">
          {{ axis }}
          <input
            class="number"
            :value="units.number(v.pivot_mm[i]!, -1)"
            :aria-label="`Pivot ${axis}, ${units.sign.value}`"
            :data-test="`pivot-${axis.toLowerCase()}`"
            @change="pivotTyped(i, $event)"
          />
        </template>
        {{ units.sign }}
      </div>
      <button class="text" data-test="reset-pivot" @click="where.resetPivot">
        Back to the middle of what is shown
      </button>
    </div>
  </v-menu>
</template>

<style scoped>
.lens {
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 8px;
  padding: 12px 16px;
  display: grid;
  gap: 6px;
  width: 300px;
}
h2 {
  font-size: 12px;
  font-weight: 700;
  margin: 6px 0 0;
}
h3 span {
  font-weight: 400;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  border: 1px solid var(--line);
  border-radius: 6px;
  overflow: hidden;
}
.two button {
  padding: 4px;
}
.on {
  background: var(--accent-tint);
  color: var(--accent);
  font-weight: 700;
}
.row {
  display: flex;
  align-items: center;
  gap: 6px;
}
input {
  width: 58px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
input:disabled,
button:disabled {
  opacity: 0.4;
}
.chip {
  padding: 1px 7px;
  border: 1px solid var(--line);
  border-radius: 10px;
}
.text {
  color: var(--accent);
  font-weight: 600;
  text-align: left;
}
</style>
