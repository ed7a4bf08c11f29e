<script setup lang="ts">
import { computed } from 'vue'

import type { TourStop } from '../api/client'
import { useTours } from '../where/tourStore'

/** What can be said of the chosen stop of a tour. */
const props = defineProps<{ stop: TourStop }>()
const tours = useTours()
const count = computed(() => tours.tour!.stops.length)

const SHORTEST_TRAVEL_S = 0.05
const change = (by: Partial<TourStop>) => tours.changeStop(tours.chosen, by)
/** What makes no sense goes back to what is in force. */
function typed(e: Event, key: 'hold_s' | 'travel_s', least: number) {
  const field = e.target as HTMLInputElement
  const value = Number.parseFloat(field.value.replace(',', '.'))
  if (Number.isFinite(value) && value >= least) change({ [key]: value })
  else field.value = String(props.stop[key])
}
const held = (e: Event) => typed(e, 'hold_s', 0)
const travelled = (e: Event) => typed(e, 'travel_s', SHORTEST_TRAVEL_S)
const passed = (e: Event) => change({ passing: (e.target as HTMLInputElement).checked, hold_s: 0 })
</script>

<template>
  <div class="edit">
    <label
      >rests
      <input
        class="number"
        :value="stop.hold_s"
        :disabled="stop.passing"
        aria-label="Rest, s"
        data-test="hold"
        @change="held"
      />
      s</label
    >
    <label
      >then travels
      <input
        class="number"
        :value="stop.travel_s"
        aria-label="Travel to the next stop, s"
        data-test="travel"
        @change="travelled"
      />
      s</label
    >
    <label
      ><input type="checkbox" :checked="stop.passing" data-test="passing" @change="passed" /> passes
      through without resting</label
    >
    <button
      data-test="take-view"
      title="This stop gets the view of the picture"
      @click="tours.takeView(tours.chosen)"
    >
      Take the picture's view
    </button>
    <button
      data-test="insert-stop"
      title="A stop after this one with the view of the picture"
      @click="tours.insert(tours.chosen)"
    >
      Add after
    </button>
    <button :disabled="tours.chosen === 0" @click="tours.moveStop(tours.chosen, tours.chosen - 1)">
      Earlier
    </button>
    <button
      :disabled="tours.chosen === count - 1"
      @click="tours.moveStop(tours.chosen, tours.chosen + 1)"
    >
      Later
    </button>
    <button :disabled="count === 1" data-test="remove-stop" @click="tours.remove(tours.chosen)">
      Remove
    </button>
  </div>
</template>

<style scoped>
.edit {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.edit input.number {
  width: 44px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
button {
  padding: 1px 9px;
  border: 1px solid var(--line);
  border-radius: 10px;
}
button:disabled {
  opacity: 0.4;
}
</style>
