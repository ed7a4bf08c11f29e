<script setup lang="ts">
import { computed } from 'vue'

import { useUnits } from '../settings/units'
import { useDrawing } from '../where/drawingStore'

/** The numbers of what is drawn, item by item; the one pointed at is marked in the drawing. */
const pointed = defineModel<string | null>({ required: true })
defineEmits<{ fit: [id: string] }>()
const store = useDrawing()
const units = useUnits()

const rows = computed(() =>
  (store.drawing?.items ?? []).map((item) => {
    const [[left, bottom], [right, top]] = item.box_mm as [[number, number], [number, number]]
    const pair = (x: number, y: number) => `${units.number(x, 1)}  ${units.number(y, 1)}`
    return {
      id: item.item,
      name: item.name,
      area: units.area(item.area_mm2),
      perimeter: units.length(item.perimeter_mm, 1),
      centroid: item.centroid_mm ? pair(item.centroid_mm[0]!, item.centroid_mm[1]!) : '–',
      size: `${units.number(right - left, 1)} × ${units.number(top - bottom, 1)}`,
      open: item.open_mm.length,
    }
  }),
)
</script>

<template>
  <div v-if="rows.length" class="rows" role="list" aria-label="What is cut">
    <div
      v-for="row in rows"
      :key="row.id"
      role="listitem"
      class="row"
      tabindex="0"
      data-test="drawn-row"
      title="Click to fit it"
      @click="$emit('fit', row.id)"
      @keydown.enter="$emit('fit', row.id)"
      @mouseenter="pointed = row.id"
      @mouseleave="pointed = null"
      @focus="pointed = row.id"
      @blur="pointed = null"
    >
      <b>{{ row.name }}</b>
      <span class="number">{{ row.area }}</span>
      <span class="soft">perimeter</span><span class="number">{{ row.perimeter }}</span>
      <span class="soft">centroid</span><span class="number">{{ row.centroid }}</span>
      <span class="soft">box</span><span class="number">{{ row.size }}</span>
      <span v-if="row.open" class="open">{{ row.open }} open lines: the mesh is open there</span>
    </div>
  </div>
</template>

<style scoped>
.rows {
  width: 220px;
  overflow: auto;
  display: grid;
  align-content: start;
  gap: 5px;
  font-size: 11px;
}
.row {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 8px;
  padding: 5px 8px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--card);
  cursor: pointer;
}
.row .number {
  text-align: right;
  white-space: pre;
}
.row:hover {
  border-color: var(--plum);
}
.open {
  grid-column: 1 / 3;
  color: rgb(var(--v-theme-error));
}
</style>
