<script setup lang="ts">
import { computed } from 'vue'

import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { usePrograms } from '../when/programStore'
import { useWhen } from '../when/whenStore'
import { useSeen } from './useSeen'

/** Where moves that can't be driven were to go. */
const props = defineProps<{ index: number }>()
const cell = useCell()
const programs = usePrograms()
const when = useWhen()
const seen = useSeen(() => props.index)

const M = 1000
const labels = computed(() => {
  const { faults = [], duration_s = 0 } = cell.cell?.path ?? {}
  return faults.flatMap((fault) => {
    // Where the path stops before it, or while its program is looked at.
    const looked = programs.open && programs.fault === fault
    if (!fault.target || !(looked || Math.abs(when.time - fault.at_s) < 1e-6 || !duration_s))
      return []
    const at = seen(fault.target.slice(0, 3).map((x) => x * M) as Vec3)
    return at ? [{ fault, left: `${at[0]}px`, top: `${at[1]}px` }] : []
  })
})
</script>

<template>
  <div
    v-for="{ fault, left, top } in labels"
    :key="`${fault.lane}/${fault.nth}`"
    class="fault"
    :style="{ left, top }"
    data-test="picture-fault"
  >
    <VerdictMark verdict="broken" />
    <span>Move {{ fault.index + 1 }} can’t be driven: {{ fault.reason }}</span>
  </div>
</template>

<style scoped>
.fault {
  position: absolute;
  display: grid;
  grid-template-columns: 14px minmax(0, 220px);
  gap: 8px;
  align-items: start;
  translate: -7px -7px;
  pointer-events: none;
  color: rgb(var(--v-theme-error));
}
.fault span {
  padding: 2px 8px;
  background: rgb(var(--v-theme-surface));
  border: 1.5px solid rgb(var(--v-theme-error));
  border-radius: 5px;
}
</style>
