<script setup lang="ts">
import type { Pair } from '../api/client'
import { useUnits } from '../settings/units'
import { clock } from '../when/whenStore'
import { useFindings } from './findingsStore'
import VerdictMark from './VerdictMark.vue'
import { pairKey, verdictWord } from './verdicts'

/** Some pairs in short; a click shows their closest approach. */
defineProps<{ pairs: Pair[] }>()
const findings = useFindings()
const units = useUnits()
</script>

<template>
  <button
    v-for="p in pairs"
    :key="pairKey(p)"
    class="pair"
    data-test="pair-row"
    title="Go there"
    @click="findings.showEvidence(p)"
  >
    <VerdictMark :verdict="p.verdict" />
    <span>{{ p.a.name }} – {{ p.b.name }}</span>
    <span class="number">{{ units.number(p.attained_mm) }}</span>
    <span class="soft when"
      >{{ verdictWord(p.verdict) }} · at {{ clock(p.time_s) }} · needs
      {{ units.short(p.required_mm) }}</span
    >
  </button>
</template>

<style scoped>
.pair {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 0 4px;
  align-items: baseline;
  text-align: left;
}
.pair:hover {
  color: var(--accent);
}
.pair .number {
  font-weight: 700;
}
.when {
  grid-column: 2 / 4;
}
</style>
