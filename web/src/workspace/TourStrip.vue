<script setup lang="ts">
import { mdiSkipNext, mdiSkipPrevious } from '@mdi/js'
import { computed, ref } from 'vue'

import { useExport } from '../actions/exportStore'
import PlayButton from '../when/PlayButton.vue'
import { clock } from '../when/whenStore'
import { useTours } from '../where/tourStore'
import { useNaming } from '../cell/namingStore'
import StopFields from './StopFields.vue'

const tours = useTours()
const naming = useNaming()
const exporting = useExport()
const tour = computed(() => tours.tour!)
const stop = computed(() => tour.value.stops[tours.chosen])
const line = ref<HTMLElement>()
const share = (t: number) => (tours.duration > 0 ? `${(100 * t) / tours.duration}%` : '0%')
const span = (i: number) => {
  const [from, s] = [tours.track?.arrivals_s[i] ?? 0, tour.value.stops[i]!]
  return { left: share(from), width: share(s.hold_s ?? 0) }
}
let scrubbing = false
function scrub(e: PointerEvent) {
  const r = line.value!.getBoundingClientRect()
  tours.goTo(((e.clientX - r.left) / r.width) * tours.duration)
}
function down(e: PointerEvent) {
  scrubbing = true
  line.value!.setPointerCapture(e.pointerId)
  scrub(e)
}
function key(e: KeyboardEvent) {
  const by = { ArrowRight: 0.1, ArrowLeft: -0.1, PageUp: 1, PageDown: -1 }[e.key]
  if (!by) return
  tours.goTo(tours.time + by)
  e.preventDefault()
}
const goToStop = (i: number) => {
  tours.chosen = i
  tours.goTo(tours.track?.arrivals_s[i] ?? 0)
  tours.chosen = i
}
const rename = () =>
  (naming.asked = { title: 'Rename tour', name: tour.value.name, done: tours.rename })
const speed = computed({
  get: () => Math.log2(tours.speed),
  set: (x) => (tours.speed = Math.min(8, Math.max(0.1, 2 ** x))),
})
</script>

<template>
  <section class="strip" aria-label="Tour" data-test="tour-strip">
    <div class="control">
      <div class="buttons">
        <button
          class="step"
          title="To the stop before"
          aria-label="To the stop before"
          data-test="tour-back"
          @click="tours.step(-1)"
        >
          <v-icon :icon="mdiSkipPrevious" size="20" />
        </button>
        <PlayButton
          :playing="tours.playing"
          :disabled="!tours.track"
          data-test="tour-play"
          @click="tours.togglePlay"
        />
        <button
          class="step"
          title="To the next stop"
          aria-label="To the next stop"
          data-test="tour-next"
          @click="tours.step(1)"
        >
          <v-icon :icon="mdiSkipNext" size="20" />
        </button>
      </div>
      <div class="number time" data-test="tour-time">{{ clock(tours.time) }}</div>
      <div class="soft number small" data-test="tour-length">of {{ clock(tours.duration) }}</div>
      <label class="soft small speed"
        >Speed
        <b class="number" data-test="tour-speed"
          >{{ tours.speed.toFixed(tours.speed < 1 ? 2 : 1) }} ×</b
        >
        <input
          v-model.number="speed"
          type="range"
          min="-3.3219281"
          max="3"
          step="any"
          aria-label="Speed of the tour"
        />
      </label>
    </div>
    <div class="main">
      <div class="head">
        <button class="name" title="Rename" @click="rename">{{ tour.name }}</button>
        <label class="soft"
          ><input
            type="checkbox"
            :checked="tour.with_programs"
            data-test="with-programs"
            @change="tours.setWithPrograms(($event.target as HTMLInputElement).checked)"
          />
          programs play along</label
        >
        <span class="grow" />
        <button data-test="tour-export" @click="exporting.open = 'tour'">Export…</button>
        <button data-test="tour-close" @click="tours.open(null)">Close</button>
      </div>
      <p v-if="tours.fault" class="fault" role="alert">
        This tour can't be played. {{ tours.fault }}
      </p>
      <div
        ref="line"
        class="line"
        role="slider"
        tabindex="0"
        aria-label="Tour time"
        :aria-valuenow="tours.time"
        aria-valuemin="0"
        :aria-valuemax="tours.duration"
        data-test="tour-scrubber"
        @pointerdown="down"
        @pointermove="scrubbing && scrub($event)"
        @pointerup="scrubbing = false"
        @keydown="key"
      >
        <span v-for="(_, i) in tour.stops" :key="i" class="hold" :style="span(i)" />
        <span class="head-line" :style="{ left: share(tours.time) }" />
      </div>
      <ol class="stops">
        <li v-for="(s, i) in tour.stops" :key="i" :class="{ on: tours.chosen === i }">
          <button class="stop" :data-test="`tour-stop-${i}`" @click="goToStop(i)">
            <b class="number">{{ i + 1 }}</b> {{ s.name }}
          </button>
        </li>
      </ol>
      <StopFields v-if="stop" :stop="stop" />
    </div>
  </section>
</template>

<style scoped>
.strip {
  display: grid;
  grid-template-columns: 132px minmax(0, 1fr);
  height: 100%;
  background: rgb(var(--v-theme-surface));
  overflow: hidden;
}
.control {
  padding: 8px 6px 4px 14px;
}
.buttons {
  display: flex;
  align-items: center;
  gap: 4px;
}
.time {
  font-size: 17px;
  font-weight: 650;
}
.small {
  font-size: 11px;
}
.speed input {
  width: 100px;
  display: block;
}
.main {
  padding: 8px 16px 4px 8px;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.head {
  display: flex;
  gap: 14px;
  align-items: center;
}
.name {
  font-weight: 700;
}
.grow {
  flex: 1;
}
.head > button:not(.name) {
  padding: 1px 9px;
  border: 1px solid var(--line);
  border-radius: 10px;
}
.line {
  position: relative;
  height: 18px;
  flex: none;
  border-radius: 4px;
  background: var(--card);
  border: 1px solid var(--line);
  cursor: ew-resize;
  touch-action: none;
}
.hold {
  position: absolute;
  top: 0;
  bottom: 0;
  min-width: 3px;
  background: var(--accent);
  opacity: 0.55;
  border-radius: 2px;
}
.head-line {
  position: absolute;
  top: -3px;
  bottom: -3px;
  width: 2px;
  margin-left: -1px;
  background: var(--plum);
}
.stops {
  display: flex;
  gap: 6px;
  list-style: none;
  margin: 0;
  padding: 0;
  overflow-x: auto;
  flex: none;
}
.stops li {
  border: 1px solid var(--line);
  border-radius: 6px;
  flex: none;
}
.stops .on {
  border-color: var(--accent);
  background: var(--accent-tint);
}
.stop {
  padding: 3px 10px;
  white-space: nowrap;
}
.fault {
  color: rgb(var(--v-theme-error));
}
</style>
