<script setup lang="ts">
import { useKeys } from '../settings/bindings'
import { useUnits } from '../settings/units'
import { useStandpoint } from './standpointStore'

defineProps<{ ahead: () => number }>()
const standpoint = useStandpoint()
const keyOf = useKeys()
const units = useUnits()
const metres = (mm: number) => (mm / 1000).toFixed(2)
function typedHeight(e: Event) {
  const field = e.target as HTMLInputElement
  const mm = units.lengthTyped(field.value, standpoint.height)
  if (mm !== null) standpoint.setHeight(mm)
  field.value = units.number(standpoint.height, -1)
  field.blur()
}
</script>

<template>
  <div
    class="bar"
    role="group"
    :aria-label="standpoint.mode === 'foot' ? 'Standing' : 'Flying'"
    data-test="standpoint"
  >
    <b>{{ standpoint.mode === 'foot' ? 'Standing' : 'Flying' }}</b>
    <span class="soft"
      ><kbd>W</kbd><kbd>A</kbd><kbd>S</kbd><kbd>D</kbd>
      {{ standpoint.mode === 'foot' ? 'walk' : 'fly' }}, <kbd>E</kbd><kbd>Q</kbd> rise, sink</span
    >
    <span
      >Speed <b class="number" data-test="speed">{{ metres(standpoint.speed) }}</b> m/s
      <span class="soft">(wheel)</span></span
    >
    <label
      >Eye
      <input
        class="number"
        :value="units.number(standpoint.height, -1)"
        :aria-label="`Height of the eye, ${units.sign.value}`"
        data-test="eye-height"
        @change="typedHeight"
      />
      {{ units.sign }}</label
    >
    <button
      class="leave"
      data-test="leave-standpoint"
      title="Keep this view and turn about it again"
      @click="standpoint.leave(ahead())"
    >
      Leave <kbd>{{ keyOf('escape') }}</kbd>
    </button>
  </div>
</template>

<style scoped>
.bar {
  position: absolute;
  left: 12px;
  bottom: 12px;
  right: 12px;
  width: fit-content;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  padding: 7px 14px;
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
}
input {
  width: 52px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
kbd {
  margin: 0 1px;
  padding: 0 3px;
  border: 1px solid var(--line);
  border-radius: 3px;
}
.leave {
  color: var(--accent);
  font-weight: 600;
}
</style>
