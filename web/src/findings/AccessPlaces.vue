<script setup lang="ts">
import type { Schemas } from '../api/client'
import { useUnits } from '../settings/units'
import { useWhat } from '../what/whatStore'

type Point = Schemas['PointAnswer']

/** Targets and picked places: which can be come to, and what is in the way of the others. */
defineProps<{ points: Point[] }>()
const units = useUnits()
const what = useWhat()
const words = {
  free: 'free',
  blocked: 'blocked',
  away: 'turned away',
  not_judged: 'not judged',
} as const
const said = (p: Point) => (p.by_name ? `by ${p.by_name}, ${units.length(p.out_mm ?? 0)} out` : '')
</script>

<template>
  <section class="places" aria-label="Places" data-test="access-places">
    <p class="soft">
      {{ points.filter((p) => p.verdict === 'free').length }} of {{ points.length }} are free.
    </p>
    <button
      v-for="(p, i) in points"
      :key="i"
      class="place"
      :class="p.verdict"
      data-test="access-place"
      :title="p.by ? 'Select what is in the way' : undefined"
      @click="p.by && what.select(p.by)"
    >
      <b>{{ words[p.verdict] }}</b><span>{{ p.name }}</span
      ><span class="soft">{{ said(p) }}</span>
    </button>
  </section>
</template>

<style scoped>
.places {
  display: grid;
  gap: 2px;
}
.place {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  gap: 0 6px;
  text-align: left;
  padding: 2px 4px;
  border-bottom: 1px solid var(--line);
}
.place .soft {
  grid-column: 2;
  font-size: 11px;
}
.blocked b {
  color: rgb(var(--v-theme-error));
}
.free b {
  color: var(--accent);
}
</style>
