<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { useItems } from './itemsStore'

/** A joint for what has none: a clamp, a door, a table that came as a mesh. */
const items = useItems()
const asked = computed(() => items.jointing)
const name = ref('open')
const slides = ref(false)
const axis = ref('2')
const low = ref('0')
const high = ref('90')
const speed = ref('90')
watch(asked, (now) => {
  if (now) [name.value, slides.value, axis.value] = ['open', false, now.picked ? 'picked' : '2']
})
watch(slides, (now) => {
  ;[high.value, speed.value] = now ? ['50', '100'] : ['90', '90']
})
const unit = computed(() => (slides.value ? 'mm' : '°'))
const number = (text: string) => Number(text.replace(',', '.'))
const complete = computed(() => {
  const [from, to, fast] = [low.value, high.value, speed.value].map(number)
  return !!name.value.trim() && from! <= 0 && to! >= 0 && from! < to! && fast! > 0
})
function make() {
  const { picked } = asked.value!
  const own = { own: Number(axis.value) }
  void items.makeJoint({
    name: name.value,
    slides: slides.value,
    axis: axis.value === 'picked' && picked ? { round_face: picked } : own,
    range_deg_or_mm: [number(low.value), number(high.value)],
    velocity_deg_or_mm_s: number(speed.value),
  })
}
</script>

<template>
  <v-dialog
    :model-value="!!asked"
    max-width="440"
    aria-label="Give it a joint"
    @update:model-value="items.jointing = null"
  >
    <v-card v-if="asked" :title="`Give ${items.one?.name} a joint`" data-test="joint-dialog">
      <v-card-text class="fields">
        <p class="soft">
          It stands at 0 now; all of it, with what hangs on it, moves with the joint from then on.
        </p>
        <label>Name <input v-model="name" data-test="joint-name" /></label>
        <label
          >It
          <select v-model="slides" aria-label="Turns or slides" data-test="joint-slides">
            <option :value="false">turns about</option>
            <option :value="true">slides along</option>
          </select>
          <select v-model="axis" aria-label="Axis" data-test="joint-axis">
            <option v-if="asked.picked" value="picked">the axis of the picked face</option>
            <option value="0">its own X</option>
            <option value="1">its own Y</option>
            <option value="2">its own Z</option>
          </select></label
        >
        <label
          >From <input v-model="low" class="number short" aria-label="Least value" /> {{ unit }} to
          <input
            v-model="high"
            class="number short"
            aria-label="Greatest value"
            data-test="joint-high"
          />
          {{ unit }}, at most
          <input v-model="speed" class="number short" aria-label="Largest speed" />
          {{ unit }}/s</label
        >
      </v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="items.jointing = null">Cancel</v-btn
        ><v-btn color="primary" :disabled="!complete" data-test="joint-make" @click="make"
          >Give it the joint</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 10px;
}
label {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: baseline;
}
input {
  border-bottom: 1px solid var(--line);
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.short {
  width: 52px;
  text-align: right;
}
</style>
