<script setup lang="ts">
import { computed, ref } from 'vue'

import { useFindings } from './findingsStore'
import PairRows from './PairRows.vue'

/** What is certain of the model as it is, though no sweep of it has ended. */
const findings = useFindings()

const SHOWN = 8
const open = ref(false)
const counts = computed(() => {
  const { broken, not_certified, tight, meets } = findings.certain!
  const all = [
    [broken, 'broken'],
    [not_certified, 'not certified'],
    [tight, 'tight'],
    [meets, 'meet'],
  ].filter(([n]) => n)
  return all.map(([n, word]) => `${n} ${word}`).join(', ')
})
const pairs = computed(() => {
  const worth = findings.certain!.pairs.filter((p) => p.verdict !== 'meets')
  return worth.slice(0, SHOWN)
})
</script>

<template>
  <section class="figures" aria-label="Certain already" data-test="certain">
    <p>Certain already: {{ findings.certain!.looked_at }} of {{ findings.certain!.count }} pairs</p>
    <p class="soft">{{ counts }}; the others were not looked at yet</p>
    <button v-if="pairs.length" class="link" data-test="show-certain" @click="open = !open">
      {{ open ? 'Hide the worst' : 'Show the worst' }}
    </button>
    <PairRows v-if="open" :pairs="pairs" />
  </section>
</template>

<style scoped>
.link {
  justify-self: start;
  color: var(--accent);
}
</style>
