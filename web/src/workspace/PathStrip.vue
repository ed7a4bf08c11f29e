<script setup lang="ts">
import PlayButton from '../when/PlayButton.vue'
import { useKeys } from '../settings/bindings'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import { clock, useWhen } from '../when/whenStore'
import { useSeries } from '../findings/seriesStore'
import ClearanceChart from './ClearanceChart.vue'
import SeriesChart from './SeriesChart.vue'

const when = useWhen()
const programs = usePrograms()
const jog = useJog()
const series = useSeries()
const keyOf = useKeys()
const speeds = [0.1, 0.25, 0.5, 1, 2, 4]
</script>

<template>
  <section class="strip" aria-label="Path">
    <div class="control">
      <PlayButton
        :playing="when.playing"
        :disabled="!when.track"
        data-test="play"
        @click="when.togglePlay"
      />
      <div>
        <div class="number time" data-test="time">{{ clock(when.time) }}</div>
        <div class="soft number small">of {{ clock(when.duration) }}</div>
      </div>
      <label class="soft small"
        >Speed
        <select v-model="when.speed" aria-label="Playing speed">
          <option v-for="s in speeds" :key="s" :value="s">{{ s }} ×</option>
        </select>
      </label>
      <div class="open small">
        <button
          :title="`Programs (${keyOf('programs')})`"
          :aria-pressed="programs.open"
          data-test="open-programs"
          @click="programs.toggle"
        >
          Programs
        </button>
        <button
          :title="`Jog by hand (${keyOf('jog')})`"
          :aria-pressed="jog.open"
          data-test="open-jog"
          @click="jog.toggle"
        >
          Jog
        </button>
      </div>
    </div>
    <SeriesChart v-if="series.followed" />
    <ClearanceChart v-else />
  </section>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: 122px 34px minmax(0, 1fr);
  background: rgb(var(--v-theme-surface));
  height: 100%;
  min-height: 0;
  overflow: hidden;
}
.control {
  padding: 10px 4px 6px 14px;
  display: flex;
  flex-direction: column;
  gap: 3px;
}
.time {
  font-size: 17px;
  font-weight: 650;
}
.small {
  font-size: 11px;
  line-height: 1.25;
}
.open {
  display: flex;
  gap: 10px;
  color: var(--accent);
  font-weight: 600;
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: inherit;
  color: inherit;
}
/* Of either chart. */
.strip :deep(.scale) {
  position: relative;
  font-size: 10.5px;
  color: var(--soft);
}
.strip :deep(.scale span) {
  position: absolute;
  right: 5px;
}
.strip :deep(.chart) {
  position: relative;
  margin-right: 14px;
  min-height: 0;
  overflow: hidden;
}
</style>
