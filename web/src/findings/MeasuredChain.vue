<script setup lang="ts">
import type { Schemas } from '../api/client'
import { useUnits } from '../settings/units'
import { letter } from './known'
import { useMeasure } from './measureStore'

/** A chain: how long all of it is, and each leg; pointed at, a leg is told in the picture. */
defineProps<{ chain: Schemas['ChainAnswer'] }>()
const measure = useMeasure()
const units = useUnits()
const point = (leg: number | null) => (measure.pointedLeg = leg)
const angleAt = (at: number, deg: number | null | undefined) =>
  typeof deg === 'number' ? `at ${letter(at)} ${units.angle(deg, 1)}` : ''
</script>

<template>
  <section class="figures" aria-label="Chain" data-test="chain">
    <p class="whole">
      <span>chain of {{ chain.legs.length }}</span>
      <b class="number" data-test="chain-length" :title="`${chain.length_mm} mm`">{{
        units.length(chain.length_mm, 1)
      }}</b>
    </p>
    <div
      v-for="(leg, i) in chain.legs"
      :key="i"
      class="line"
      tabindex="0"
      data-test="leg"
      @mouseenter="point(i)"
      @mouseleave="point(null)"
      @focus="point(i)"
      @blur="point(null)"
    >
      <span>{{ letter(i) }} – {{ letter(i + 1) }}</span>
      <span class="soft number">{{ angleAt(i + 1, chain.angles_deg[i]) }}</span>
      <span class="number" :title="`${leg.length_mm} mm`">{{
        units.length(leg.length_mm, 1)
      }}</span>
    </div>
    <p v-for="text in chain.not_certain" :key="text" class="unsure">not certain: {{ text }}</p>
  </section>
</template>

<style scoped>
.whole,
.line {
  display: grid;
  grid-template-columns: 1fr auto auto;
  align-items: baseline;
  gap: 10px;
}
.whole b {
  grid-column: 3;
  font-size: 16px;
  color: var(--plum);
}
.line:hover {
  color: var(--accent);
}
.unsure {
  color: rgb(var(--v-theme-warning));
}
</style>
