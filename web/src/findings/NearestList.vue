<script setup lang="ts">
import { useUnits } from '../settings/units'
import { useWhen } from '../when/whenStore'
import { useMeasure } from './measureStore'
import { useSeries } from './seriesStore'

/** What is nearest to the one thing that is picked; one of them is taken by a click. */
const measure = useMeasure()
const series = useSeries()
const units = useUnits()
const when = useWhen()
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
    <button
      v-if="when.duration"
      class="link"
      title="How far anything is that moves against it, on the strip; what it hangs on is left out"
      data-test="nearest-along"
      @click="series.followNearest"
    >
      What is nearest along the path?
    </button>
    <template v-if="measure.neighbours">
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
