<script setup lang="ts">
import { computed } from 'vue'

import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import { type Overlap, useOverlaps } from './overlapStore'
import VerdictMark from './VerdictMark.vue'

/** What touches and overlaps, the deepest first. That is no verdict: no rule is asked. */
const overlaps = useOverlaps()
const units = useUnits()
const when = useWhen()
const keyOf = useKeys()

const stale = computed(() => Math.abs(when.time - overlaps.foundAt) > 1e-6)
const words = { overlaps: 'overlap', touches: 'touch', not_certain: 'not certain' } as const
const depth = (p: Overlap) =>
  p.state === 'touches' ? '' : `at least ${units.floor(p.depth_mm[0]!, 1)} deep`
function setTolerance(e: Event) {
  const field = e.target as HTMLInputElement
  const to = units.lengthTyped(field.value, overlaps.tolerance_mm)
  if (to !== null && to >= 0 && to <= 1000) overlaps.tolerance_mm = to
  field.value = units.number(overlaps.tolerance_mm, 1)
}
</script>

<template>
  <div class="look">
    <v-btn
      color="primary"
      :disabled="overlaps.looking"
      data-test="look-for-overlaps"
      @click="overlaps.look"
      >{{ overlaps.looking ? 'Looking…' : 'What overlaps here?' }}</v-btn
    >
    <v-btn
      v-if="overlaps.looking"
      :title="`Stop (${keyOf('escape')})`"
      data-test="stop-overlaps"
      @click="overlaps.stop"
      >Stop</v-btn
    >
    <label
      >touching within
      <input
        class="number"
        :value="units.number(overlaps.tolerance_mm, 1)"
        :aria-label="`Touching within, ${units.sign.value}`"
        @change="setTolerance"
      />
      {{ units.sign }}</label
    >
  </div>
  <p v-if="!overlaps.found" class="soft none">
    Looks among all that is shown, where everything stands now: which items overlap and by how much,
    which only touch.
  </p>
  <template v-else>
    <p class="soft" data-test="overlaps-at">
      At {{ clock(overlaps.foundAt) }}<template v-if="stale">; now it is another time</template>.
      <template v-if="!overlaps.found.complete"> Not all pairs were looked at. </template>
    </p>
    <button
      v-for="p in overlaps.found.pairs"
      :key="`${p.a.item}/${p.a.link} ${p.b.item}/${p.b.link}`"
      class="card"
      :class="{ at: overlaps.shown === p }"
      data-test="overlap"
      title="Select both, and draw the lines in which they cross"
      @click="overlaps.show(p)"
    >
      <VerdictMark v-if="p.state === 'not_certain'" verdict="not_certified" /><span v-else />
      <span class="names">{{ p.a.name }} – {{ p.b.name }}</span>
      <span class="number value">{{
        typeof p.volume_mm3 === 'number' ? units.volume(p.volume_mm3) : ''
      }}</span>
      <span class="soft detail"
        ><b>{{ words[p.state] }}</b> {{ depth(p)
        }}<template v-if="p.not_certain"><br />{{ p.not_certain }}</template></span
      >
    </button>
    <p v-if="!overlaps.found.pairs.length" class="soft none">Nothing touches or overlaps.</p>
    <details v-if="overlaps.found.left_out.length" class="out" data-test="overlaps-left-out">
      <summary>Left out ({{ overlaps.found.left_out.length }})</summary>
      <ul>
        <li v-for="l in overlaps.found.left_out" :key="`${l.a} ${l.b}`">
          {{ l.a }} – {{ l.b }}: {{ l.reason }}
        </li>
      </ul>
    </details>
  </template>
</template>

<style scoped>
.look {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  font-size: 12px;
}
input {
  width: 52px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.out {
  font-size: 12px;
}
.out ul {
  padding-left: 16px;
  color: var(--soft);
}
</style>
