<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import UnitField from './UnitField.vue'

/** What the joints of a mechanism may do, in place of what its description says. */
const props = defineProps<{ item: string }>()
const cell = useCell()
const units = useUnits()

type Joint = Schemas['JointInfo']
const joints = computed(() => (cell.cell?.joints ?? []).filter((j) => j.item === props.item))
const mechanism = computed(() => cell.items.get(props.item)?.mechanism)
const kind = (joint: Joint) => (joint.turns ? 'angle' : 'length')
/** What was said of a joint by hand so far; the rest is as described. */
function said(joint: Joint) {
  const { limits_deg_or_mm, velocity_deg_or_mm_s, acceleration_deg_or_mm_s2 } =
    mechanism.value ?? {}
  return {
    joint: joint.name,
    range_deg_or_mm: limits_deg_or_mm?.[joint.name] ?? null,
    velocity_deg_or_mm_s: velocity_deg_or_mm_s?.[joint.name] ?? null,
    acceleration_deg_or_mm_s2: acceleration_deg_or_mm_s2?.[joint.name] ?? null,
  }
}
const change = (joint: Joint, by: object) =>
  cell.edit({
    edit: 'change_mechanism',
    item: props.item,
    change: { limits: { ...said(joint), ...by } },
  })
const low = (joint: Joint, value: number) =>
  change(joint, { range_deg_or_mm: [value, Math.max(value, joint.high ?? value)] })
const high = (joint: Joint, value: number) =>
  change(joint, { range_deg_or_mm: [Math.min(value, joint.low ?? value), value] })
const speed = (joint: Joint, value: number) => change(joint, { velocity_deg_or_mm_s: value })
const gain = (joint: Joint, value: number) => change(joint, { acceleration_deg_or_mm_s2: value })
const byHand = (joint: Joint) => {
  const { range_deg_or_mm, velocity_deg_or_mm_s, acceleration_deg_or_mm_s2 } = said(joint)
  const values = [range_deg_or_mm, velocity_deg_or_mm_s, acceleration_deg_or_mm_s2]
  return values.some((value) => value !== null)
}
const described = (joint: Joint) =>
  change(joint, {
    range_deg_or_mm: null,
    velocity_deg_or_mm_s: null,
    acceleration_deg_or_mm_s2: null,
  })
const sign = (joint: Joint) => (joint.turns ? units.angleSign.value : units.sign.value)
const ASSUMED = 'Assumed: its description says no speed'
</script>

<template>
  <details v-if="joints.length" class="joints" data-test="joint-table">
    <summary>Joints ({{ joints.length }})</summary>
    <div class="grid">
      <span /><span class="soft">from</span><span class="soft">to</span
      ><span class="soft">per s</span><span class="soft">per s²</span>
      <template v-for="joint in joints" :key="joint.key">
        <span class="name" :title="`${joint.name}, ${sign(joint)}`"
          >{{ joint.name
          }}<button
            v-if="byHand(joint)"
            class="again"
            title="As its description says again"
            :aria-label="`${joint.name} as its description says again`"
            @click="described(joint)"
          >
            ↺
          </button></span
        >
        <UnitField
          :value="joint.low ?? 0"
          :kind="kind(joint)"
          :label="`Least value of ${joint.name}`"
          :data-test="`low-${joint.name}`"
          @typed="low(joint, $event)"
        />
        <UnitField
          :value="joint.high ?? 0"
          :kind="kind(joint)"
          :label="`Greatest value of ${joint.name}`"
          :data-test="`high-${joint.name}`"
          @typed="high(joint, $event)"
        />
        <UnitField
          :value="joint.velocity"
          :kind="kind(joint)"
          :label="`Largest speed of ${joint.name}`"
          :class="{ assumed: joint.velocity_assumed }"
          :title="joint.velocity_assumed ? ASSUMED : undefined"
          :data-test="`speed-${joint.name}`"
          @typed="speed(joint, $event)"
        />
        <UnitField
          :value="joint.acceleration"
          :kind="kind(joint)"
          :label="`Largest acceleration of ${joint.name}`"
          :data-test="`gain-${joint.name}`"
          @typed="gain(joint, $event)"
        />
      </template>
    </div>
    <p v-if="joints.some((j) => j.velocity_assumed)" class="soft">
      <i>Speeds in italics are assumed.</i>
    </p>
  </details>
</template>

<style scoped>
.joints {
  margin: 6px 0;
}
summary {
  cursor: pointer;
  color: var(--soft);
}
.grid {
  display: grid;
  grid-template-columns: minmax(30px, auto) repeat(4, minmax(0, 1fr));
  gap: 0 4px;
  align-items: center;
  font-size: 11px;
}
.grid > .soft {
  text-align: right;
}
.name {
  max-width: 62px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.again {
  color: var(--accent);
  padding: 0 2px;
}
.assumed {
  font-style: italic;
}
</style>
