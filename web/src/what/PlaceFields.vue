<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import { type FrameChoice, useItems } from './itemsStore'
import PoseFields from './PoseFields.vue'
import UnitField from './UnitField.vue'

const cell = useCell()
const items = useItems()
const units = useUnits()

const one = computed(() => items.one)
const fact = computed(() => items.facts.find((f) => f.item === one.value?.id))

/** Frames that numbers can be meant in. */
const frames = computed(() => {
  const active = typeof items.frame === 'object' ? items.frame.item : null
  const marks = [...cell.items.values()].filter(
    (i) =>
      i.id === active || (i.id !== one.value?.id && (i.role === 'frame' || i.role === 'robot')),
  )
  return marks.slice(0, 300).map((i) => ({ id: `item:${i.id}`, name: i.name }))
})
const frame = computed({
  get: () => (typeof items.frame === 'string' ? items.frame : `item:${items.frame.item}`),
  set: (text: string) =>
    (items.frame = text.startsWith('item:') ? { item: text.slice(5) } : (text as FrameChoice)),
})
const axes = ['X', 'Y', 'Z'] as const
const turns = ['Roll', 'Pitch', 'Yaw'] as const
/** What several items are shifted or turned by. */
function shifted(part: 'xyz_mm' | 'rpy_deg', i: number, value: number) {
  const by = { xyz_mm: [0, 0, 0], rpy_deg: [0, 0, 0] }
  by[part][i] = value
  void items.arrange({ shift: { frame: items.frame, by, about_mm: items.about } })
}
</script>

<template>
  <label class="line"
    >{{ units.sign }}, {{ units.angleSign }} in
    <select v-model="frame" aria-label="Frame of the numbers" data-test="frame-choice">
      <option value="world">the world</option>
      <option value="parent">what carries it</option>
      <option value="own">its own frame</option>
      <option v-for="f in frames" :key="f.id" :value="f.id">{{ f.name }}</option>
    </select></label
  >
  <PoseFields
    v-if="one && fact"
    class="one"
    :pose="fact.pose"
    test="at"
    :disabled="one.locked"
    @typed="items.arrange({ put: { frame: items.frame, at: $event } })"
  />
  <div v-else-if="items.chosen.length > 1" class="pose">
    <template v-for="(name, i) in axes" :key="name">
      <span class="soft">by {{ name }}</span
      ><UnitField
        :value="0"
        kind="length"
        :label="`Shift along ${name}`"
        :data-test="`by-${name}`"
        @typed="shifted('xyz_mm', i, $event)"
      />
      <span class="soft">{{ turns[i] }}</span><UnitField
        :value="0"
        kind="angle"
        :label="`Turn about ${name}`"
        :data-test="`turn-${name}`"
        @typed="shifted('rpy_deg', i, $event)"
      />
    </template>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-bottom: 4px;
  color: var(--soft);
}
select {
  max-width: 100%;
  min-width: 0;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 3px;
  background: inherit;
  color: rgb(var(--v-theme-on-surface));
  appearance: auto;
}
.one {
  margin-bottom: 6px;
}
.pose {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto minmax(0, 1fr);
  gap: 2px 6px;
  align-items: center;
  margin-bottom: 6px;
}
</style>
