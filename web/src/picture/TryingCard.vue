<script setup lang="ts">
import { computed } from 'vue'

import type { Pair } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import { useTrying } from '../findings/tryingStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { pairKey, verdictSentence, verdictWord } from '../findings/verdicts'
import { useUnits } from '../settings/units'
import { useHeld } from '../what/heldStore'
import { useTarget } from '../when/targetStore'
import { clock } from '../when/whenStore'

/** What is dragged comes to so over the whole path, were it let go. */
const findings = useFindings()
const trying = useTrying()
const units = useUnits()
const held = useHeld()
const target = useTarget()

const ROWS = 3

const counts = computed(() => {
  const told = trying.told
  if (!told) return ''
  const parts = [
    [told.broken, 'broken'],
    [told.not_certified, 'not certified'],
    [told.tight, 'tight'],
    [told.open, 'still open'],
  ] as const
  return parts
    .filter(([n]) => n)
    .map(([n, word]) => `${n} ${word}`)
    .join(', ')
})
/** Of a target only the moves to and from it are told pair by pair. */
const part = computed(() => (held.on?.what === 'target' ? target.target?.id : undefined))
const sentence = computed(() => {
  const told = trying.told
  if (!told) return ''
  const { verdict, not_certified, open } = told
  const unseen = verdict === 'not_certified' && !not_certified && open
  return unseen ? 'Not all is looked at yet' : verdictSentence[verdict]
})
const nearOrNot = computed(() => {
  if (rows.value.length) return ':'
  return trying.told?.hurried ? ' nothing is certain yet' : ' nothing comes near'
})
/** What the last sweep found of the same pairs, while it is of the model as it is. */
const before = computed(() => {
  const comparable = findings.fresh && !part.value
  return new Map(comparable ? findings.pairs.map((p) => [pairKey(p), p.attained_mm]) : [])
})
/** Of what was not looked at to the end only what is broken, or meets, is certain. */
const word = ({ complete, verdict }: Pair) =>
  complete === false && ['not_certified', 'tight'].includes(verdict)
    ? 'still open'
    : verdictWord(verdict)
/** What was not looked at to the end may come nearer. */
const atMost = ({ complete }: Pair) => (complete === false ? '≤ ' : '')
const rows = computed(() =>
  (trying.told?.pairs ?? [])
    .slice(0, ROWS)
    .map((pair) => ({ pair, was: before.value.get(pairKey(pair)) })),
)
</script>

<template>
  <div
    v-if="trying.told || trying.refused"
    class="trying"
    :class="{ behind: trying.behind || trying.told?.hurried }"
    role="status"
    data-test="trying"
  >
    <p v-if="trying.refused" class="problem">{{ trying.refused }}</p>
    <template v-if="trying.told">
      <p class="overall" data-test="trying-overall">
        <VerdictMark :verdict="trying.told.verdict" />
        <b>{{ sentence }}</b>
        <span class="soft">over the whole path{{ counts && ` · ${counts}` }}</span>
      </p>
      <p v-if="part" class="soft" data-test="trying-part">
        In the moves to and from {{ part }}{{ nearOrNot }}
      </p>
      <div v-for="{ pair, was } in rows" :key="pairKey(pair)" class="row" data-test="trying-pair">
        <VerdictMark :verdict="pair.verdict" />
        <span class="pair">{{ pair.a.name }} – {{ pair.b.name }}</span>
        <span class="number"
          ><span v-if="was !== undefined" class="soft">{{ units.number(was) }} → </span
          ><b>{{ atMost(pair) }}{{ units.length(pair.attained_mm) }}</b></span
        >
        <span class="soft detail"
          >{{ word(pair) }} · needs {{ units.short(pair.required_mm) }} ·
          <span class="number">{{ clock(pair.time_s) }}</span></span
        >
      </div>
    </template>
  </div>
</template>

<style scoped>
.trying {
  position: absolute;
  right: 12px;
  bottom: 52px;
  display: grid;
  gap: 4px;
  width: 340px;
  max-width: calc(100% - 24px);
  padding: 8px 12px 9px;
  font-size: 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
  pointer-events: none;
}
.behind .number b {
  color: var(--soft);
}
.overall {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  gap: 0 4px;
  align-items: baseline;
}
.overall .soft {
  grid-column: 2;
}
.row {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 0 4px;
  align-items: baseline;
}
.pair {
  font-weight: 600;
}
.detail {
  grid-column: 2 / 4;
}
.problem {
  color: rgb(var(--v-theme-error));
}
</style>
