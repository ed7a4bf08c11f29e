<script setup lang="ts">
import { useUnits } from '../settings/units'
import { useMeasure } from './measureStore'

/** What is nearest to the one thing that is picked; one of them is taken by a click. */
const measure = useMeasure()
const units = useUnits()
</script>

<template>
  <section class="nearest" aria-label="Nearest to A">
    <button
      v-if="!measure.neighbours"
      class="link"
      data-test="nearest"
      @click="measure.findNeighbours"
    >
      What is nearest?
    </button>
    <template v-else>
      <span class="soft">Nearest to A:</span>
      <button
        v-for="near in measure.neighbours"
        :key="near.pick.on"
        class="row"
        data-test="neighbour"
        :title="`Measure to ${near.name}`"
        @click="measure.put(1, near.pick)"
      >
        <span>{{ near.name }}</span>
        <b class="number">{{ near.distance_mm ? units.length(near.distance_mm, 1) : 'touches' }}</b>
      </button>
    </template>
  </section>
</template>

<style scoped>
.nearest {
  display: grid;
  gap: 2px;
  font-size: 12px;
  justify-items: stretch;
}
.link {
  justify-self: start;
}
.row {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  text-align: left;
}
.row:hover {
  color: var(--accent);
}
</style>
