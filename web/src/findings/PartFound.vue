<script setup lang="ts">
import { computed } from 'vue'

import { useUnits } from '../settings/units'
import { clock } from '../when/whenStore'
import { useFindings } from './findingsStore'
import { usePart } from './partStore'
import VerdictMark from './VerdictMark.vue'
import { pairKey, verdictWord } from './verdicts'

/** What pairs come to in the part of the path that was swept alone, the worst first. */
const part = usePart()
const findings = useFindings()
const units = useUnits()

const SHOWN = 8
const pairs = computed(() => part.found?.pairs.slice(0, SHOWN) ?? [])
const counts = computed(() => {
  const f = part.found!
  const all = [
    [f.broken, 'broken'],
    [f.not_certified, 'not certified'],
    [f.tight, 'tight'],
  ].filter(([n]) => n)
  if (!f.count) return 'no rule measures anything then'
  // A rule that measures nothing then, or names what has no body, is not certified either.
  if (!all.length && f.verdict === 'not_certified')
    return `${f.count} meet; not every rule measures something then`
  return all.map(([n, word]) => `${n} ${word}`).join(', ') || `all ${f.count} meet`
})
</script>

<template>
  <section class="figures" aria-label="A part of the path" data-test="part-found">
    <p v-if="part.running" class="soft">Sweeping this part…</p>
    <template v-else-if="part.found">
      <p class="said">
        <VerdictMark :verdict="part.found.verdict" />
        <span
          >From <b class="number">{{ clock(part.found.from_s) }}</b> to
          <b class="number">{{ clock(part.found.to_s) }}</b>: {{ counts }}</span
        >
        <button class="link" data-test="leave-part" @click="part.leave">Close</button>
      </p>
      <button
        v-for="p in pairs"
        :key="pairKey(p)"
        class="pair"
        data-test="part-pair"
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
  </section>
</template>

<style scoped>
.said,
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
.link {
  color: var(--accent);
}
</style>
