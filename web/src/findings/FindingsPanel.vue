<script setup lang="ts">
import { computed, ref } from 'vue'

import { useKeys } from '../settings/bindings'
import type { Pair } from '../api/client'
import { useCell } from '../cell/cellStore'
import { clock, useWhen } from '../when/whenStore'
import { useFindings } from './findingsStore'
import { useUnits } from '../settings/units'
import VerdictMark from './VerdictMark.vue'
import { verdictSentence, verdictWord } from './verdicts'

const cell = useCell()
const keyOf = useKeys()
const findings = useFindings()
const when = useWhen()
const tab = ref<'clearance' | 'reach' | 'measured'>('clearance')
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
const caveats = computed(() => findings.findings?.caveats ?? [])
const verdict = computed(() => findings.findings?.verdict ?? 'not_certified')
const shown = computed(() =>
  all.value ? findings.pairs : [...notable.value, ...others.value.slice(0, 4)],
)
const rest = computed(() => findings.count - shown.value.length)
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
const reachRows = computed(() => findings.findings?.reach.rows ?? [])

const lasts = (p: Pair) => {
  const [touching] = p.touching_for_s
  const [, broken] = p.broken_for_s
  if (touching) return `touches for ${touching.toFixed(3)} s`
  if (!broken) return ''
  return `${p.verdict === 'not_certified' ? 'not certain ' : ''}for ${broken.toFixed(3)} s`
}
const units = useUnits()
const value = (p: Pair) => units.number(p.attained_mm, p.attained_mm < 100 ? 0 : -1)
/** A bracket wider than the tolerance is only known to be more than its lower end. */
const wide = (p: Pair) =>
  p.attained_mm - p.lower_mm > (findings.findings?.tolerance_mm ?? 0.1) * 1.01

const ends = computed(() => {
  const frames =
    cell.cell?.document.items.filter((i) => i.role === 'frame' || i.role === 'robot') ?? []
  return {
    from: frames.filter((i) => i.frame_kind === 'base' || i.role === 'robot'),
    to: frames.filter((i) => i.role === 'frame' && i.frame_kind !== 'base'),
  }
})
const from = ref('')
const to = ref('')
function measure() {
  const f = from.value || ends.value.from[0]?.id
  const t = to.value || ends.value.to[0]?.id
  if (f && t) {
    from.value = f
    to.value = t
    void findings.measureReach(f, t)
  }
}
function openTab(next: typeof tab.value) {
  tab.value = next
  if (next === 'measured' && !findings.reach) measure()
}
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
  <aside class="panel" aria-label="Findings">
    <div class="head">
      <span class="heading">Findings</span>
      <span v-if="findings.findings && !findings.job" class="soft"
        >swept in {{ findings.findings.took_s.toFixed(1) }} s</span
      >
    </div>
    <div class="tabs" role="tablist">
      <button role="tab" :aria-selected="tab === 'clearance'" @click="openTab('clearance')">
        Clearance
      </button>
      <button role="tab" :aria-selected="tab === 'reach'" @click="openTab('reach')">Reach</button>
      <button
        role="tab"
        :aria-selected="tab === 'measured'"
        data-test="tab-measured"
        @click="openTab('measured')"
      >
        Measured
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
    </div>

    <div v-if="findings.lost && !findings.job" class="stale" role="status" data-test="lost">
      The last sweep was lost: {{ findings.lost }}.
      <v-btn color="primary" @click="findings.sweep">Sweep again</v-btn>
    </div>
    <div v-if="findings.unreadable && !findings.job" class="stale" role="status">
      {{ findings.unreadable }}
      <v-btn color="primary" @click="findings.sweep">Sweep again</v-btn>
    </div>

    <div class="cards">
      <p
        v-if="findings.findings && tab !== 'measured'"
        class="overall"
        :class="verdict"
        data-test="overall"
      >
        <VerdictMark :verdict="verdict" /> {{ findings.fresh ? '' : 'At the last sweep: '
        }}{{ verdictSentence[verdict] }}
      </p>
      <template v-if="tab === 'clearance'">
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
          The cell has no clearance rule, so nothing is measured. Add rules to the cell package.
        </p>
        <div v-for="r in gaps" :key="r.name" class="card gap" data-test="rule-gap">
          <VerdictMark verdict="not_certified" />
          <span class="names">Rule “{{ r.name }}”</span><span />
          <span class="soft detail"><b>not certified</b> · {{ r.reasons.join('; ') }}</span>
        </div>
        <button
          v-for="p in shown"
          :key="p.a.name + p.b.name"
          class="card"
          :class="[p.verdict, { at: findings.shown === p }]"
          data-test="finding"
          :title="`Go there: certified between ${units.number(p.lower_mm, 2)} and ${units.length(p.attained_mm, 2)}`"
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
            }}<template v-for="reason in p.reasons" :key="reason"
              ><br />{{ reason }}</template
            ></span
          >
        </button>
        <p v-if="rest || all" class="soft more">
          <template v-if="rest">
            <button data-test="more-pairs" @click="showMore">{{ restSaid }}</button>.
          </template>
          <template v-if="all"> <button @click="all = false">Show fewer</button>. </template>
          <span
            :title="
              findings.findings?.left_out
                .map((l) => `${l.a.name} – ${l.b.name}: ${l.reason}`)
                .join('\n')
            "
            >{{ findings.findings?.left_out_count }} left out.</span
          >
        </p>
      </template>
      <template v-else-if="tab === 'reach'">
        <button
          v-for="r in reachRows"
          :key="r.program + r.label + r.time_s"
          class="card"
          :class="r.verdict"
          data-test="reach-row"
          :title="r.reason ?? undefined"
          @click="when.goTo(r.time_s)"
        >
          <VerdictMark v-if="r.verdict" :verdict="r.verdict" /><span v-else />
          <span class="names">{{ r.program }}, {{ r.label }}</span>
          <span class="number value">{{ r.spare_percent.toFixed(1) }} %</span>
          <span class="soft detail"
            ><b>{{ r.verdict ? verdictWord(r.verdict) : 'no rule' }}</b> · {{ r.robot_name }} ·
            <span class="number">{{ units.length(r.straight_mm, -1) }}</span> from the base ·
            <span class="number">{{ clock(r.time_s) }}</span><template v-if="r.reason"
              ><br />{{ r.reason }}</template
            ></span
          >
        </button>
        <p v-if="!reachRows.length" class="soft none">
          Sweep the run plan to see the reach to spare at every target.
        </p>
      </template>
      <template v-else>
        <div class="measure">
          <label
            >From
            <select v-model="from" aria-label="Measure from" @change="measure">
              <option v-for="i in ends.from" :key="i.id" :value="i.id">{{ i.name }}</option>
            </select></label
          >
          <label
            >To
            <select v-model="to" aria-label="Measure to" @change="measure">
              <option v-for="i in ends.to" :key="i.id" :value="i.id">{{ i.name }}</option>
            </select></label
          >
          <p v-if="!ends.from.length || !ends.to.length" class="soft">
            A reach needs a robot and a frame; this cell has none.
          </p>
          <dl v-if="findings.reachNow" class="number" data-test="reach">
            <dt>straight</dt>
            <dd>{{ units.length(findings.reachNow.straight) }}</dd>
            <dt>along the floor</dt>
            <dd>{{ units.length(findings.reachNow.horizontal) }}</dd>
            <dt>upwards</dt>
            <dd>{{ units.length(findings.reachNow.vertical) }}</dd>
          </dl>
          <p class="soft">At {{ clock(when.time) }}; follows the play head.</p>
        </div>
      </template>
      <details v-if="caveats.length && tab !== 'measured'" class="caveats" data-test="caveats">
        <summary>Not looked at, or assumed ({{ caveats.length }})</summary>
        <ul>
          <li v-for="c in caveats" :key="c.text">{{ c.text }}</li>
        </ul>
      </details>
    </div>
  </aside>
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
  justify-content: space-between;
  padding: 10px 14px 6px;
  font-size: 12px;
}
.tabs {
  display: flex;
  gap: 2px;
  padding: 0 10px 6px;
}
.tabs button {
  padding: 3px 9px;
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
.stale {
  color: rgb(var(--v-theme-warning));
}
.cards {
  flex: 1;
  overflow: auto;
  padding: 0 10px 10px;
  display: flex;
  flex-direction: column;
  gap: 7px;
}
.card {
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
.card:hover {
  border-color: var(--accent);
}
.card.at {
  border-color: rgb(var(--v-theme-secondary));
  background: var(--plum-tint);
}
.names {
  font-weight: 600;
}
.value {
  font-weight: 700;
  font-size: 14px;
}
.detail {
  grid-column: 2 / 4;
  font-size: 12px;
}
.card.broken .detail b {
  color: rgb(var(--v-theme-error));
}
.card.tight .detail b {
  color: rgb(var(--v-theme-warning));
}
.overall {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 0 4px;
  font-weight: 700;
}
.overall.broken {
  color: rgb(var(--v-theme-error));
}
.card.gap {
  border-style: dashed;
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
.none {
  padding: 18px 6px;
  text-align: center;
}
.more {
  padding: 4px 6px;
  font-size: 12px;
}
.more button {
  text-decoration: underline;
}
.measure {
  display: grid;
  gap: 8px;
  padding: 6px 4px;
}
.measure label {
  display: grid;
  grid-template-columns: 44px 1fr;
  align-items: center;
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 3px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
  min-width: 0;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 14px;
}
dd {
  text-align: right;
  font-weight: 700;
}
dt {
  font-family: var(--font);
}
</style>
