<script setup lang="ts">
import type { Schemas } from '../api/client'
import UnitField from './UnitField.vue'

/** A pose in numbers: place and fixed-axis turns, each typed by itself. */
const props = defineProps<{
  pose: Schemas['PoseDocument']
  /** Whose pose it is: said before each name. */
  of?: string
  /** How tests call the fields: this, and the name of the number. */
  test: string
  disabled?: boolean
  /** The arrows step the numbers. */
  steps?: boolean
  /** See `UnitField`. */
  answered?: number
}>()
const emit = defineEmits<{ typed: [pose: Required<Schemas['PoseDocument']>] }>()

const fields = [
  { part: 'xyz_mm', i: 0, name: 'X', label: 'X' },
  { part: 'rpy_deg', i: 0, name: 'Roll', label: 'Roll about the fixed X, first' },
  { part: 'xyz_mm', i: 1, name: 'Y', label: 'Y' },
  { part: 'rpy_deg', i: 1, name: 'Pitch', label: 'Pitch about the fixed Y, second' },
  { part: 'xyz_mm', i: 2, name: 'Z', label: 'Z' },
  { part: 'rpy_deg', i: 2, name: 'Yaw', label: 'Yaw about the fixed Z, last' },
] as const
type Field = (typeof fields)[number]
const valueOf = ({ part, i }: Field) => props.pose[part]?.[i] ?? 0
const labelOf = ({ label }: Field) => (props.of ? `${props.of} ${label}` : label)
function typed({ part, i }: Field, value: number) {
  const { xyz_mm = [0, 0, 0], rpy_deg = [0, 0, 0] } = props.pose
  const pose = { xyz_mm: [...xyz_mm], rpy_deg: [...rpy_deg] }
  pose[part][i] = value
  emit('typed', pose)
}
</script>

<template>
  <div class="pose">
    <template v-for="field in fields" :key="field.name">
      <span class="soft">{{ field.name }}</span>
      <UnitField
        :value="valueOf(field)"
        :kind="field.part === 'xyz_mm' ? 'length' : 'angle'"
        :label="labelOf(field)"
        :disabled="disabled"
        :steps="steps"
        :answered="answered"
        :data-test="`${test}-${field.name}`"
        @typed="typed(field, $event)"
      />
    </template>
  </div>
</template>

<style scoped>
.pose {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto minmax(0, 1fr);
  gap: 2px 8px;
  align-items: center;
}
</style>
