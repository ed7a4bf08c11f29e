<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Pair } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import { clock } from '../when/whenStore'
import { useFindings } from './findingsStore'
import { useKept } from './keptStore'
import { useRules } from './rulesStore'
import VerdictMark from './VerdictMark.vue'
import { pairKey, verdictWord } from './verdicts'

const keyOf = useKeys()
const cell = useCell()
const kept = useKept()
const findings = useFindings()
const rules = useRules()
const units = useUnits()
const all = ref(false)

const notable = computed(() =>
  findings.pairs.filter((p) => p.verdict !== 'meets' || p.reasons.length),
)
/** Those that meet their rule, the nearest to it first. */
const others = computed(() =>
  findings.pairs.filter((p) => p.verdict === 'meets' && !p.reasons.length),
)
/** Rules that name what can't be measured. */
const gaps = computed(() => findings.findings?.rules.filter((r) => r.reasons.length) ?? [])
const shown = computed(() => {
  if (findings.isFiltered) return findings.filtered ?? []
  return all.value ? findings.pairs : [...notable.value, ...others.value.slice(0, 4)]
})
const rest = computed(() => (findings.isFiltered ? 0 : findings.count - shown.value.length))
const GROUPED =
  'Grouped by the moves or programs that run at the closest approach, or by whose bodies they are'
const STILL = 'while nothing runs'
const itemName = (id: string) => cell.items.get(id)?.name ?? id
/** How they are grouped, and what the group of a pair is called; groups stand as their worst do. */
const groupings = {
  ranked: () => '',
  moves: (p: Pair) => p.moves.join(' · ') || STILL,
  programs: (p: Pair) => p.moves.map((move) => move.split(':')[0]).join(' · ') || STILL,
  items: (p: Pair) => [p.a, p.b].map((side) => itemName(side.item)).join(' – '),
}
const grouping = ref<keyof typeof groupings>('ranked')
const groups = computed(() => {
  const of = new Map<string, Pair[]>()
  for (const p of shown.value) {
    const name = groupings[grouping.value](p)
    of.set(name, [...(of.get(name) ?? []), p])
  }
  return [...of].map(([name, pairs]) => ({ name, pairs }))
})
const words = ['broken', 'not_certified', 'tight', 'meets'] as const
/** What is said of the pairs that are not shown. */
const restSaid = computed(() => {
  const seen = shown.value.filter((p) => p.verdict !== 'meets').length
  const meet = findings.count - (findings.findings?.counts.meets ?? 0) === seen
  return `${rest.value} more pairs${meet ? ' meet their rule' : ''}`
})
function showMore() {
  if (!all.value && shown.value.length < findings.pairs.length) all.value = true
  else {
    all.value = true
    void findings.more()
  }
}
/** What was left out and why, a line each. */
const leftOut = computed(() =>
  findings.findings?.left_out.map((l) => `${l.a.name} – ${l.b.name}: ${l.reason}`).join('\n'),
)

const lasts = (p: Pair) => {
  const [touching] = p.touching_for_s
  const [, broken] = p.broken_for_s
  if (touching) return `touches for ${touching.toFixed(3)} s`
  if (!broken) return ''
  return `${p.verdict === 'not_certified' ? 'not certain ' : ''}for ${broken.toFixed(3)} s`
}
const value = (p: Pair) => units.number(p.attained_mm, p.attained_mm < 100 ? 0 : -1)
/** A bracket wider than the tolerance is only known to be more than its lower end. */
const wide = (p: Pair) =>
  p.attained_mm - p.lower_mm > (findings.findings?.tolerance_mm ?? 0.1) * 1.01
const certifiedBetween = (p: Pair) =>
  `Go there: certified between ${units.number(p.lower_mm, 2)} and ${units.length(p.attained_mm, 2)}`
</script>

<template>
  <p v-if="!findings.findings && !findings.job" class="soft none">
    Nothing has been swept yet.<br /><v-btn
      color="primary"
      :title="`Sweep (${keyOf('sweep')})`"
      @click="findings.sweep"
      >Sweep the run plan</v-btn
    >
  </p>
  <p
    v-else-if="findings.findings && !findings.findings.rules.length && !findings.job"
    class="soft none"
  >
    The cell has no clearance rule, so nothing is measured.<br /><v-btn
      color="primary"
      @click="rules.open = true"
      >Add a rule</v-btn
    >
  </p>
  <div v-for="r in gaps" :key="r.name" class="card gap" data-test="rule-gap">
    <VerdictMark verdict="not_certified" />
    <span class="names">Rule “{{ r.name }}”</span><span />
    <span class="soft detail"><b>not certified</b> · {{ r.reasons.join('; ') }}</span>
  </div>
  <div v-if="findings.findings?.rules.length" class="filter">
    <input
      v-model="findings.wanted.called"
      placeholder="Filter by name, rule or move"
      aria-label="Filter by name, rule or move"
      data-test="filter-pairs"
      @keydown.esc.stop="findings.wanted.called = ''"
    />
    <select v-model="findings.wanted.verdict" aria-label="Verdict" data-test="filter-verdict">
      <option value="">all</option>
      <option v-for="word in words" :key="word" :value="word">{{ verdictWord(word) }}</option>
    </select>
    <select v-model="grouping" aria-label="Grouped" :title="GROUPED" data-test="grouping">
      <option v-for="(_, name) in groupings" :key="name">{{ name }}</option>
    </select>
  </div>
  <p v-if="findings.filtered && !findings.filtered.length" class="soft none" data-test="none-so">
    No pair is so.
  </p>
  <template v-for="group in groups" :key="group.name">
    <p v-if="group.name" class="soft group" data-test="group">{{ group.name }}</p>
    <template v-for="p in group.pairs" :key="pairKey(p)">
      <button
        class="card"
        :class="[p.verdict, { at: findings.shown === p }]"
        data-test="finding"
        :title="certifiedBetween(p)"
        @click="findings.showEvidence(p)"
      >
        <VerdictMark :verdict="p.verdict" />
        <span class="names">{{ p.a.name }} – {{ p.b.name }}</span>
        <span class="number value"
          ><template v-if="wide(p)">over {{ units.number(p.lower_mm, -1) }}</template
          ><template v-else>{{ value(p) }}</template> {{ units.sign }}</span
        >
        <span class="soft detail"
          ><b>{{ verdictWord(p.verdict) }}</b> · needs
          {{ units.short(p.required_mm).replace(/ mm$/, '') }} ·
          <span class="number">{{ clock(p.time_s) }}</span> {{ lasts(p)
          }}<template v-for="reason in p.reasons" :key="reason"><br />{{ reason }}</template></span
        >
      </button>
      <button
        v-if="findings.shown === p && kept.isKept(p)"
        class="link keep"
        data-test="evidence-is-kept"
        title="See it among what was measured"
        @click="findings.tab = 'measured'"
      >
        Kept as a finding
      </button>
      <button
        v-else-if="findings.shown === p"
        class="link keep"
        data-test="keep-evidence"
        :title="`Keep this closest approach, with its view (${keyOf('keep-finding')})`"
        @click="kept.keepPair(p)"
      >
        Keep as a finding
      </button>
    </template>
  </template>
  <p v-if="findings.isFiltered && findings.moreFiltered" class="soft more">
    <button data-test="more-filtered" @click="findings.filterOn">More of them</button>
  </p>
  <p v-if="rest || all" class="soft more">
    <template v-if="rest">
      <button data-test="more-pairs" @click="showMore">{{ restSaid }}</button>.
    </template>
    <template v-if="all"> <button @click="all = false">Show fewer</button>. </template>
    <span :title="leftOut">{{ findings.findings?.left_out_count }} left out.</span>
  </p>
</template>

<style scoped>
.card.gap {
  border-style: dashed;
}
.keep {
  align-self: flex-end;
}
.filter {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12px;
}
.filter > input {
  flex: 1;
  min-width: 0;
  padding: 2px 6px;
  border: 1px solid var(--line);
  border-radius: 5px;
}
.filter select {
  max-width: 82px;
}
.group {
  padding: 4px 6px 0;
  font-size: 12px;
  font-weight: 600;
}
.more {
  padding: 4px 6px;
  font-size: 12px;
}
.more button {
  text-decoration: underline;
}
</style>
