<script setup lang="ts">
import { computed } from 'vue'

import { clock } from '../when/whenStore'
import PairRows from './PairRows.vue'
import { usePart } from './partStore'
import VerdictMark from './VerdictMark.vue'

/** What pairs come to in the part of the path that was swept alone, the worst first. */
const part = usePart()

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
      <PairRows :pairs="pairs" />
    </template>
  </section>
</template>

<style scoped>
.said {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 0 4px;
  align-items: baseline;
  text-align: left;
}
.link {
  color: var(--accent);
}
</style>
