<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import { type OutlinePlane, planes, useReach } from './reachStore'
import { useSeries } from './seriesStore'
import { certainty, seriesName, seriesValue } from './seriesTold'

/** What a robot reaches: its worst instants along the path, and the outline of all it can reach. */
const cell = useCell()
const reach = useReach()
const series = useSeries()
const units = useUnits()
const when = useWhen()

const choices = computed(() =>
  (Object.keys(planes) as OutlinePlane[]).filter((plane) => plane !== 'section' || reach.stillCut),
)
const value = (e: Event) => (e.target as HTMLSelectElement).value
</script>

<template>
  <section v-if="reach.tcps.length" class="reach" aria-label="Reach of a robot">
    <div class="row">
      <label
        >TCP
        <select
          :value="reach.tcp"
          aria-label="TCP whose reach is told"
          data-test="reach-tcp"
          @change="reach.choose(value($event))"
        >
          <option v-for="id in reach.tcps" :key="id" :value="id">
            {{ cell.items.get(id)?.name }}
          </option>
        </select></label
      >
      <button
        class="link"
        title="From the robot's base to the TCP, drawn"
        data-test="reach-measure"
        @click="reach.measureReach"
      >
        Measure
      </button>
      <button
        v-if="when.duration"
        class="link"
        :disabled="series.busy"
        title="How much of the reach is used along the path, how near limits and singularities come"
        data-test="reach-along"
        @click="reach.follow"
      >
        Along the path
      </button>
    </div>
    <div class="row">
      <label
        ><input v-model="reach.outlined" type="checkbox" data-test="reach-outline" /> Outline of
        what</label
      >
      <select v-model="reach.of" aria-label="Outline of what the wrist or the TCP reaches">
        <option value="wrist">the wrist</option>
        <option value="tcp">the TCP, held so,</option>
      </select>
      reaches
      <select v-model="reach.plane" aria-label="Plane of the outline" data-test="reach-plane">
        <option v-for="plane in choices" :key="plane" :value="plane">{{ planes[plane] }}</option>
      </select>
    </div>
    <p v-if="reach.outlined && reach.outline" class="soft">{{ reach.outline.not_counted }}</p>
    <p v-if="reach.refused" class="refused" role="alert">{{ reach.refused }}</p>
    <template v-if="reach.worst.length">
      <button
        v-for="w in reach.worst"
        :key="seriesName(w.series)"
        class="worst"
        :class="{ at: series.shown === w.series }"
        data-test="worst-instant"
        :title="`Go to ${clock(w.time_s)}, show it on the strip`"
        @click="reach.goTo(w.series, w.time_s)"
      >
        <span>{{ seriesName(w.series) }}</span>
        <b class="number">{{ seriesValue(w.series, w.value, units) }}</b>
        <span class="soft number"
          >{{ w.end }} · {{ clock(w.time_s)
          }}<template v-if="typeof w.bound === 'number'">
            · {{ certainty(w.series, w.end, units) }}</template
          ></span
        >
      </button>
      <p class="soft">What is not said to be certain is of the instants that were looked at.</p>
    </template>
  </section>
</template>

<style scoped>
.reach {
  display: grid;
  gap: 5px;
  padding: 0 4px 8px;
  border-bottom: 1px solid var(--line);
  font-size: 12px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
}
select {
  max-width: 150px;
}
.worst {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 8px;
  text-align: left;
  padding: 4px 8px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--card);
}
.worst .soft {
  grid-column: 1 / 3;
  font-size: 11px;
}
.worst:hover,
.worst.at {
  border-color: var(--accent);
}
.refused {
  color: rgb(var(--v-theme-error));
}
</style>
