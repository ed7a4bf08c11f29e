<script setup lang="ts">
import { computed, nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { usePrograms } from '../when/programStore'
import { useWhen } from '../when/whenStore'
import { topOf } from './lanes'

/** Moves that can't be driven, where their lanes end: a click goes to them. */
const props = defineProps<{ x: (time: number) => number; width: number }>()
const cell = useCell()
const programs = usePrograms()
const when = useWhen()

type Fault = NonNullable<typeof cell.cell>['path']['faults'][number]
const MARK = 14
const faults = computed(() => cell.cell?.path.faults ?? [])
const said = ({ index, reason }: Fault) => `Move ${index + 1} can’t be driven: ${reason}`
const place = ({ at_s, lane }: Fault) => ({
  left: `${Math.min(props.x(at_s), props.width - MARK) + 1}px`,
  top: `${topOf(lane)}px`,
})
async function show(fault: Fault) {
  const lane = cell.cell?.document.run_plan?.lanes?.[fault.lane]
  programs.chosen = lane?.programs[fault.nth] ?? null
  programs.open = true
  when.goTo(fault.at_s)
  await nextTick()
  programs.select(fault.index)
}
</script>

<template>
  <button
    v-for="fault in faults"
    :key="`${fault.lane}/${fault.nth}`"
    class="fault"
    :style="place(fault)"
    :title="said(fault)"
    :aria-label="said(fault)"
    data-test="strip-fault"
    @click="show(fault)"
  >
    <VerdictMark verdict="broken" />
  </button>
</template>

<style scoped>
.fault {
  position: absolute;
  display: grid;
  width: 14px;
  height: 14px;
  background: rgb(var(--v-theme-surface));
}
</style>
