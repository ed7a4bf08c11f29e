<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { useUnits } from '../settings/units'
import { type Touching, useRules } from './rulesStore'

/** What touches by the way it is built, to be let touch by a person. */
const rules = useRules()
const units = useUnits()

const keyOf = (pair: Touching) => `${pair.a} ${pair.b}`
/** Those that are not to be let touch. */
const left = ref(new Set<string>())
watch(
  () => rules.touching,
  () => (left.value = new Set()),
)
const accepted = computed(() => rules.touching.filter((pair) => !left.value.has(keyOf(pair))))
function tick(pair: Touching) {
  const now = new Set(left.value)
  if (!now.delete(keyOf(pair))) now.add(keyOf(pair))
  left.value = now
}
</script>

<template>
  <section v-if="rules.touching.length" class="suggested" data-test="touching">
    <h3>Joined rigidly and touching, by the way they are built</h3>
    <label v-for="pair in rules.touching" :key="keyOf(pair)" class="pair">
      <input type="checkbox" :checked="!left.has(keyOf(pair))" @change="tick(pair)" />
      {{ pair.a_name }} – {{ pair.b_name }}
      <span class="soft number">{{ units.length(pair.distance_mm) }}</span>
    </label>
    <button
      class="link"
      :disabled="!accepted.length"
      data-test="touching-accept"
      @click="rules.accept(accepted)"
    >
      Let {{ accepted.length === 1 ? 'this pair' : `these ${accepted.length} pairs` }} touch
    </button>
  </section>
</template>

<style scoped>
.suggested {
  padding: 8px;
  border: 1px solid var(--accent);
  border-radius: 8px;
}
.pair {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 2px 6px;
}
.link {
  padding: 4px 6px;
}
</style>
