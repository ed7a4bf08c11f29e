<script setup lang="ts">
import { mdiDeleteOutline, mdiDotsVertical, mdiRestore } from '@mdi/js'
import { computed, defineAsyncComponent, ref } from 'vue'

import type { Schemas } from '../api/client'
import VerdictMark from '../findings/VerdictMark.vue'
import { verdictWord } from '../findings/verdicts'
import IconButton from './IconButton.vue'

// Menus are not needed to see the list.
const CellMenu = defineAsyncComponent(() => import('./CellMenu.vue'))

const props = defineProps<{
  cell: Schemas['CellLine']
  inBin: boolean
  /** Whether Enter opens it. */
  first: boolean
}>()
const emit = defineEmits<{
  open: []
  rename: []
  duplicate: []
  bin: []
  restore: []
  remove: []
}>()
const when = (time: string) => new Date(time).toLocaleString()
const size = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`
const more = ref<InstanceType<typeof IconButton>>()
const menu = ref(false)
const since = computed(() => {
  const { binned_at, opened_at } = props.cell
  if (binned_at) return `in the bin since ${when(binned_at)}`
  return opened_at ? `opened ${when(opened_at)}` : 'not opened yet'
})
const counts = (s: Schemas['SweptLine']): Record<string, number> => ({
  broken: s.broken,
  not_certified: s.not_certified,
  tight: s.tight,
})
const rules = (s: Schemas['SweptLine']) => {
  const count = counts(s)[s.verdict]
  return count ? `${count} ${verdictWord(s.verdict)}` : verdictWord(s.verdict)
}
const sweptWhen = computed(() => {
  const changed = props.cell.swept?.changed_since
  return `At the last sweep${changed ? '; the cell was changed since' : ''}`
})
</script>

<template>
  <div class="row" data-test="cell-row">
    <button class="open" :disabled="inBin" data-test="cell" @click="emit('open')">
      <img
        v-if="cell.has_thumbnail"
        :src="`/api/cells/${cell.id}/thumbnail`"
        alt=""
        class="thumb"
      /><span v-else class="thumb" />
      <span class="text"
        ><b>{{ cell.name }}</b>
        <span class="soft"
          >{{ since }} · <span class="number">{{ cell.items }}</span>
          {{ cell.items === 1 ? 'item' : 'items' }} ·
          <span class="number">{{ size(cell.bytes) }}</span></span
        >
      </span>
      <span v-if="cell.swept" class="swept" :title="sweptWhen"
        ><VerdictMark :verdict="cell.swept.verdict" />{{ rules(cell.swept)
        }}<span v-if="cell.swept.changed_since" class="soft">, changed since</span></span
      >
    </button>
    <kbd v-if="first" class="soft" title="Opens this cell">Enter</kbd>
    <template v-if="inBin">
      <IconButton
        :path="mdiRestore"
        :name="`Bring ${cell.name} back`"
        data-test="restore"
        @click="emit('restore')"
      />
      <IconButton
        :path="mdiDeleteOutline"
        :name="`Delete ${cell.name} for good`"
        @click="emit('remove')"
      />
    </template>
    <template v-else>
      <IconButton
        ref="more"
        :path="mdiDotsVertical"
        :name="`What can be done with ${cell.name}`"
        data-test="cell-more"
        @click="menu = true"
      />
      <CellMenu
        v-if="menu"
        :cell="cell"
        :target="more!.$el"
        @close="menu = false"
        @rename="emit('rename')"
        @duplicate="emit('duplicate')"
        @bin="emit('bin')"
      />
    </template>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  align-items: center;
  gap: 4px;
  border-top: 1px solid var(--line);
}
.row:last-of-type {
  border-bottom: 1px solid var(--line);
}
.open {
  flex: 1;
  min-width: 0;
  display: flex;
  gap: 14px;
  align-items: center;
  text-align: left;
  padding: 9px 8px;
}
.open:hover {
  background: var(--accent-tint);
}
.open:disabled {
  background: none;
  color: inherit;
}
.thumb {
  width: 96px;
  height: 60px;
  flex: none;
  object-fit: cover;
  border: 1px solid var(--line);
  border-radius: 5px;
  background: var(--card);
}
.text {
  flex: 1;
  min-width: 0;
  display: grid;
  gap: 2px;
}
.open b {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.swept {
  display: flex;
  gap: 5px;
  align-items: center;
  font-weight: 600;
}
</style>
