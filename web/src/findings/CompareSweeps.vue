<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { useCompare } from './compareStore'
import VerdictMark from './VerdictMark.vue'
import { verdictWord } from './verdicts'

/** What changed since an earlier sweep, the worst first. */
const compare = useCompare()

const day = new Intl.DateTimeFormat(undefined, { dateStyle: 'short', timeStyle: 'short' })
const called = (s: Schemas['SweepKept']) =>
  s.name ?? `revision ${s.revision}, ${day.format(new Date(s.at))}`
const counts = (s: Schemas['SweepKept']) =>
  [
    [s.broken, 'broken'],
    [s.not_certified, 'not certified'],
    [s.tight, 'tight'],
  ]
    .filter(([n]) => n)
    .map(([n, word]) => `${n} ${word}`)
    .join(', ') || 'all meet'
const changes = computed(() => compare.compared?.changes ?? [])
const named = (e: Event, s: Schemas['SweepKept']) =>
  compare.name(s.fingerprint, (e.target as HTMLInputElement).value)
</script>

<template>
  <section class="figures" aria-label="Compared with an earlier sweep" data-test="compare">
    <label v-if="compare.now" class="line"
      ><span class="soft">This sweep</span>
      <input
        :value="compare.now.name ?? ''"
        placeholder="a name keeps it"
        maxlength="200"
        aria-label="Name of this sweep"
        data-test="name-sweep"
        @change="named($event, compare.now)"
    /></label>
    <label v-if="compare.earlier.length" class="line"
      ><span class="soft">beside</span>
      <select v-model="compare.chosen" aria-label="Earlier sweep" data-test="earlier-sweep">
        <option v-for="s in compare.earlier" :key="s.fingerprint" :value="s.fingerprint">
          {{ called(s) }} · {{ counts(s) }}
        </option>
      </select></label
    >
    <p v-else class="soft">There is no earlier sweep of this cell yet.</p>
    <p v-if="compare.compared && !changes.length" class="soft" data-test="no-change">
      Nothing became better or worse.
    </p>
    <button
      v-for="c in changes"
      :key="c.what + c.became"
      class="change"
      :class="c.became"
      :disabled="!c.between || !c.now"
      data-test="change"
      @click="compare.show(c)"
    >
      <VerdictMark :verdict="c.now ?? 'meets'" />
      <span
        ><b>{{ c.became }}</b> · {{ c.what }}</span
      >
      <span class="soft number detail"
        >{{ c.numbers
        }}<template v-if="c.before && c.now && c.before !== c.now">
          · was {{ verdictWord(c.before) }}</template
        ></span
      >
    </button>
  </section>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 62px minmax(0, 1fr);
  gap: 6px;
  align-items: baseline;
}
input {
  border-bottom: 1px solid var(--line);
}
.change {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 0 4px;
  text-align: left;
}
.change:enabled:hover {
  color: var(--accent);
}
.detail {
  grid-column: 2;
}
.worse b,
.new b {
  color: rgb(var(--v-theme-error));
}
.better b,
.gone b {
  color: var(--accent);
}
</style>
