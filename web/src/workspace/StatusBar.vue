<script setup lang="ts">
import { computed } from 'vue'

import { useExport } from '../actions/exportStore'
import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { useUnits } from '../settings/units'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useHint } from './useHint'

/** `pointer`: the point under the pointer in the world, mm. */
const props = defineProps<{ pointer: Vec3 | null }>()
const cell = useCell()
const items = useItems()
const what = useWhat()
const exporting = useExport()
const settings = useSettings()
const units = useUnits()
const hint = useHint()

/** The frame that coordinates are given in. */
const inFrame = computed(() =>
  typeof items.frame === 'object' ? cell.items.get(items.frame.item) : undefined,
)
const coordinates = computed(() => {
  const node =
    inFrame.value && cell.cell?.item_nodes[cell.cell.document.items.indexOf(inFrame.value)]
  const at =
    props.pointer &&
    (node === undefined ? props.pointer : exporting.scene?.stage.inFrame(node, props.pointer))
  return at?.map((x) => units.number(x)).join('  ') ?? '–'
})
const under = computed(() => (what.hovered ? cell.items.get(what.hovered)?.name : ''))
const lengthUnits = ['mm', 'cm', 'm', 'inch'] as const
const nextUnit = () =>
  (settings.units.length = lengthUnits[(lengthUnits.indexOf(settings.units.length) + 1) % 4]!)
</script>

<template>
  <footer class="status">
    <span class="hint" data-test="hint">{{ hint }}</span>
    <span class="grow" />
    <span v-if="under" class="under" data-test="under">{{ under }}</span>
    <span
      >{{ inFrame?.name ?? 'World' }}
      <span class="number" data-test="coordinates">{{ coordinates }}</span>
      <button class="unit" title="Lengths in another unit" data-test="unit" @click="nextUnit">
        {{ units.sign }}
      </button></span
    >
    <span data-test="saving">{{
      cell.saving ? 'Saving…' : `Saved, revision ${cell.cell?.revision}`
    }}</span>
  </footer>
</template>

<style scoped>
.status {
  display: flex;
  gap: 20px;
  align-items: center;
  padding: 0 14px;
  border-top: 1px solid var(--line);
  font-size: 12px;
  color: var(--soft);
  white-space: nowrap;
  overflow: hidden;
}
.hint {
  overflow: hidden;
  text-overflow: ellipsis;
}
.unit {
  color: inherit;
  text-decoration: underline dotted;
}
.under {
  max-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.grow {
  flex: 1;
}
</style>
