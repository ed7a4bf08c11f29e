<script setup lang="ts">
import { computed } from 'vue'

import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import { useFindings } from './findingsStore'
import ReachAlong from './ReachAlong.vue'
import VerdictMark from './VerdictMark.vue'
import { verdictWord } from './verdicts'

const findings = useFindings()
const units = useUnits()
const when = useWhen()
const reachRows = computed(() => findings.findings?.reach.rows ?? [])
</script>

<template>
  <ReachAlong />
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
