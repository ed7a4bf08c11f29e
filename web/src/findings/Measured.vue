<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import { clock, useWhen } from '../when/whenStore'
import { useFindings } from './findingsStore'

const cell = useCell()
const findings = useFindings()
const units = useUnits()
const when = useWhen()

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
onMounted(() => {
  if (!findings.reach) measure()
})
</script>

<template>
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

<style scoped>
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
