<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'

import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { useUnits } from '../settings/units'
import RoleIcon from '../what/RoleIcon.vue'
import { clock, useWhen } from '../when/whenStore'
import { useSeen } from './useSeen'

/** What stands at a closest approach: the bodies by name, and how near they come or how deep. */
const props = defineProps<{
  index: number
  /** Of the pane, pixels. */
  width: number
  height: number
}>()
const cell = useCell()
const findings = useFindings()
const units = useUnits()
const when = useWhen()
const seen = useSeen(() => props.index)

/** So far from the points, pixels: they are what is to be seen. */
const CLEAR = 80
/** Of the pane's edge, and of the chips above. */
const [EDGE, CHIPS] = [10, 48]

const card = ref<HTMLElement>()
const { width: wide, height: high } = useElementSize(card, undefined, { box: 'border-box' })
const label = computed(() => {
  const pair = findings.shown
  if (!pair || Math.abs(when.time - pair.time_s) > 1e-6) return null
  const ends = [seen(pair.on_a_mm as Vec3), seen(pair.on_b_mm as Vec3)]
  if (!ends[0] || !ends[1]) return null
  const [x, y] = [(ends[0][0] + ends[1][0]) / 2, (ends[0][1] + ends[1][1]) / 2]
  // To the right of the points and above; where there is no room, on the other side.
  const right = x + CLEAR + wide.value + EDGE < props.width
  const above = y - CLEAR - high.value > CHIPS
  const left = right ? x + CLEAR : Math.max(EDGE, x - CLEAR - wide.value)
  const top = above ? y - CLEAR - high.value : Math.min(y + CLEAR, props.height - high.value - EDGE)
  const tip = [right ? left : left + wide.value, above ? top + high.value : top]
  return { pair, from: [x, y], tip, left, top }
})
const sides = computed(() => {
  const { a, b } = label.value!.pair
  return [a, b].map(({ item, name }) => ({ name, role: cell.items.get(item)?.role ?? 'group' }))
})
/** How deep they certainly are at some instant; between those looked at it may be deeper. */
const deep = computed(() => {
  const { at_least_mm = 0, time_s = 0 } = findings.depth ?? {}
  const least = units.floor(at_least_mm, 1)
  // What is too small to be read at the decimals wanted is a touch, and is told without a number.
  return Number.parseFloat(least) ? `overlap at least ${least}, ${clock(time_s)}` : ''
})
</script>

<template>
  <template v-if="label">
    <svg class="leader" aria-hidden="true">
      <line :x1="label.from[0]" :y1="label.from[1]" :x2="label.tip[0]" :y2="label.tip[1]" />
    </svg>
    <div
      ref="card"
      class="gap"
      data-test="gap-label"
      :style="{ left: `${label.left}px`, top: `${label.top}px` }"
    >
      <span v-for="side in sides" :key="side.name" class="side">
        <RoleIcon :role="side.role" /> {{ side.name }}
      </span>
      <span>
        <b class="number">{{ units.length(label.pair.attained_mm) }}</b> needs
        {{ units.short(label.pair.required_mm) }}
      </span>
      <span v-if="deep" class="number" data-test="gap-deep">{{ deep }}</span>
    </div>
  </template>
</template>

<style scoped>
.gap {
  position: absolute;
  display: grid;
  padding: 4px 10px;
  white-space: nowrap;
  pointer-events: none;
  background: rgb(var(--v-theme-surface));
  border: 1.5px solid rgb(var(--v-theme-error));
  border-radius: 5px;
}
.gap b,
.gap .number {
  color: rgb(var(--v-theme-error));
}
.side {
  display: flex;
  gap: 5px;
  align-items: center;
}
.leader {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.leader line {
  stroke: rgb(var(--v-theme-error));
  stroke-width: 1.2;
}
</style>
