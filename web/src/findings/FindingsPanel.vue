<script setup lang="ts">
import { storeToRefs } from 'pinia'
import { computed, nextTick, ref } from 'vue'

import { useKeys } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'
import AccessList from './AccessList.vue'
import ClearanceList from './ClearanceList.vue'
import CompareSweeps from './CompareSweeps.vue'
import { useCompare } from './compareStore'
import { useFindings } from './findingsStore'
import CertainAlready from './CertainAlready.vue'
import PartFound from './PartFound.vue'
import { usePart } from './partStore'
import { useRules } from './rulesStore'
import Measured from './Measured.vue'
import OverlapList from './OverlapList.vue'
import ReachList from './ReachList.vue'
import VariantsTable from './VariantsTable.vue'
import { useVariants } from './variantsStore'
import VerdictMark from './VerdictMark.vue'
import { verdictSentence } from './verdicts'

const keyOf = useKeys()
const settings = useSettings()
const findings = useFindings()
const rules = useRules()
const compare = useCompare()
const part = usePart()
const variants = useVariants()

const tabs = {
  clearance: { name: 'Clearance', shows: ClearanceList },
  reach: { name: 'Reach', shows: ReachList },
  measured: { name: 'Measured', shows: Measured },
  overlap: { name: 'Overlap', shows: OverlapList },
  access: { name: 'Access', shows: AccessList },
}
const order = Object.keys(tabs) as (keyof typeof tabs)[]
const { tab } = storeToRefs(findings)
const list = ref<HTMLElement>()
/** The arrows go from tab to tab, Home and End to the outer ones. */
async function go(e: KeyboardEvent) {
  const at = order.indexOf(tab.value)
  const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: order.length - 1 }[e.key]
  if (to === undefined) return
  e.preventDefault()
  tab.value = order.at(to % order.length)!
  await nextTick()
  list.value!.querySelector<HTMLElement>('[aria-selected=true]')!.focus()
}

/** Whether the list is of what a sweep found. */
const isSwept = computed(() => tab.value === 'clearance' || tab.value === 'reach')
/** Opens what stands above such a list, and goes there; or closes it. */
function toggle(what: { open: boolean }) {
  what.open = !what.open || !isSwept.value
  if (what.open && !isSwept.value) tab.value = 'clearance'
}
const caveats = computed(() => findings.findings?.caveats ?? [])
const verdict = computed(() => findings.findings?.verdict ?? 'not_certified')
const progress = computed(() => {
  const j = findings.job
  return j && j.total ? (100 * j.done) / j.total : 0
})
/** Time left, told once there is something to judge it by. */
const left = computed(() => {
  const j = findings.job
  if (!j?.done || j.elapsed_s < 1) return ''
  return ` · ${Math.max(1, Math.round(j.elapsed_s * (j.total / j.done - 1)))} s left`
})
</script>

<template>
  <section class="panel" aria-label="Findings">
    <div class="head">
      <h2 class="heading">Findings</h2>
      <button
        class="link"
        data-test="open-rules"
        :title="`Rules (${keyOf('rules')})`"
        @click="rules.open = true"
      >
        Rules
      </button>
      <button
        v-if="findings.findings"
        class="link"
        title="What changed since an earlier sweep"
        :aria-pressed="compare.open && isSwept"
        data-test="open-compare"
        @click="toggle(compare)"
      >
        Compare
      </button>
      <button
        class="link"
        title="Other places for what is selected, swept without being made"
        :aria-pressed="variants.open && isSwept"
        data-test="open-variants"
        @click="toggle(variants)"
      >
        Variants
      </button>
    </div>
    <div ref="list" class="tabs" role="tablist" aria-label="Findings" @keydown="go">
      <button
        v-for="name in order"
        :id="`tab-${name}`"
        :key="name"
        role="tab"
        :aria-selected="tab === name"
        aria-controls="findings-shown"
        :tabindex="tab === name ? 0 : -1"
        :data-test="`tab-${name}`"
        @click="tab = name"
      >
        {{ tabs[name].name }}
      </button>
    </div>
    <div v-if="findings.job" class="job">
      <v-progress-linear :model-value="progress" color="primary" height="4" rounded />
      <span v-if="findings.job.waiting" class="soft" data-test="job-waits">waits its turn</span>
      <span v-else class="number">{{ progress.toFixed(0) }} %{{ left }}</span>
      <v-btn :title="`Stop (${keyOf('escape')})`" @click="findings.stop">Stop</v-btn>
    </div>
    <div v-else-if="findings.findings && !findings.fresh" class="stale" role="status">
      The model has changed since.
      <v-btn color="primary" @click="findings.sweep">Sweep again</v-btn>
      <label title="Whenever the model has changed"
        ><input v-model="settings.sweeping.byItself" type="checkbox" data-test="sweep-by-itself" />
        always</label
      >
    </div>

    <div v-if="findings.lost && !findings.job" class="stale" role="status" data-test="lost">
      The last sweep was lost: {{ findings.lost }}.
      <v-btn color="primary" @click="findings.sweep">Sweep again</v-btn>
    </div>
    <div v-if="findings.unreadable && !findings.job" class="stale" role="status">
      {{ findings.unreadable }}
      <v-btn color="primary" @click="findings.sweep">Sweep again</v-btn>
    </div>

    <div
      id="findings-shown"
      class="cards"
      data-test="findings-shown"
      role="tabpanel"
      :aria-labelledby="`tab-${tab}`"
    >
      <p v-if="findings.findings && isSwept" class="overall" :class="verdict" data-test="overall">
        <VerdictMark :verdict="verdict" /> {{ findings.fresh ? '' : 'At the last sweep: '
        }}{{ verdictSentence[verdict] }}
        <span v-if="findings.fresh && !findings.job" class="soft took"
          >swept in {{ findings.findings.took_s.toFixed(1) }} s</span
        >
      </p>
      <CertainAlready v-if="findings.certain && !findings.job && isSwept" />
      <PartFound v-if="(part.found || part.running) && isSwept" />
      <CompareSweeps v-if="compare.open && isSwept" />
      <VariantsTable v-if="variants.open && isSwept" />
      <component :is="tabs[tab].shows" />
      <details v-if="caveats.length && isSwept" class="caveats" data-test="caveats">
        <summary>Not looked at, or assumed ({{ caveats.length }})</summary>
        <ul>
          <li v-for="c in caveats" :key="c.text">{{ c.text }}</li>
        </ul>
      </details>
    </div>
  </section>
</template>

<style scoped>
.panel {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: rgb(var(--v-theme-surface));
}
.head {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 10px 12px 6px 14px;
  font-size: 12px;
}
.tabs {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  padding: 0 5px 6px;
  font-size: 12px;
}
.tabs button {
  padding: 3px 4px;
  border-radius: 5px;
}
.tabs [aria-selected='true'] {
  background: var(--accent-tint);
  color: var(--accent);
  font-weight: 700;
}
.job,
.stale {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px;
  padding: 4px 14px 8px;
  font-size: 12px;
}
.cards {
  flex: 1;
  overflow: auto;
  padding: 0 10px 10px;
  display: flex;
  flex-direction: column;
  gap: 7px;
}
.overall {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 0 4px;
  font-weight: 700;
}
.took {
  margin-left: auto;
  font-size: 12px;
  font-weight: 400;
}
.overall.broken {
  color: rgb(var(--v-theme-error));
}
.caveats {
  padding: 4px 6px;
  font-size: 12px;
}
.caveats summary {
  cursor: pointer;
  font-weight: 600;
}
.caveats ul {
  padding-left: 16px;
  color: var(--soft);
}
/* The choices and the boxes with figures of all lists. */
.cards :deep(select) {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 3px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
}
.cards :deep(.figures) {
  display: grid;
  gap: 3px;
  padding: 7px 9px;
  border: 1px solid var(--line);
  border-radius: 7px;
  background: var(--card);
  font-size: 12px;
}
/* The cards of all lists. */
.cards :deep(.card) {
  flex: none;
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 1px 4px;
  text-align: left;
  padding: 8px 10px;
  border: 1px solid var(--line);
  border-radius: 7px;
  background: var(--card);
  align-items: baseline;
}
:deep(.card:hover) {
  border-color: var(--accent);
}
:deep(.card.at) {
  border-color: rgb(var(--v-theme-secondary));
  background: color-mix(in srgb, var(--plum) 7%, transparent);
}
:deep(.names) {
  font-weight: 600;
}
:deep(.value) {
  font-weight: 700;
  font-size: 14px;
}
:deep(.detail) {
  grid-column: 2 / 4;
  font-size: 12px;
}
:deep(.card.broken .detail b) {
  color: rgb(var(--v-theme-error));
}
:deep(.card.tight .detail b) {
  color: rgb(var(--v-theme-warning));
}
:deep(.none) {
  padding: 18px 6px;
  text-align: center;
}
</style>
