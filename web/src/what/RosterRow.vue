<script setup lang="ts">
import {
  mdiChevronDown,
  mdiChevronRight,
  mdiEyeOffOutline,
  mdiEyeOutline,
  mdiLockOutline,
} from '@mdi/js'
import { computed, nextTick, ref, watch } from 'vue'

import { useKeys } from '../settings/bindings'
import RoleIcon from './RoleIcon.vue'
import { idOfRow, type Row } from './useRows'
import { useWhat } from './whatStore'

const props = defineProps<{
  row: Row
  /** Where it stands among how many. */
  index: number
  count: number
  closed: boolean
  renaming: boolean
}>()
const emit = defineEmits<{ twist: []; named: [name: string | null] }>()
const what = useWhat()
const keyOf = useKeys()

const item = computed(() => props.row.item)
const shown = computed(() => what.visible.has(item.value.id))
const about = computed(() => {
  const { name, role, notes } = item.value
  return `${name}, ${role}${notes ? `: ${notes}` : ''}`
})
const field = ref<HTMLInputElement>()
watch(
  () => props.renaming,
  async (now) => {
    await nextTick()
    if (now) field.value?.select()
  },
)
const named = (e: Event) => emit('named', (e.target as HTMLInputElement).value.trim())
</script>

<template>
  <div
    :id="idOfRow(item.id)"
    class="row"
    role="treeitem"
    :data-id="item.id"
    :aria-level="row.depth + 1"
    :aria-setsize="count"
    :aria-posinset="index + 1"
    :aria-selected="what.selected.has(item.id)"
    :aria-expanded="row.branch ? !closed : undefined"
    :class="{
      selected: what.selected.has(item.id),
      hovered: what.hovered === item.id,
      gone: !shown,
    }"
    :style="{ paddingLeft: `${8 + row.depth * 15}px` }"
    draggable="true"
    @mouseenter="what.hovered = item.id"
    @mouseleave="what.hovered = null"
  >
    <button
      v-if="row.branch"
      class="twist"
      tabindex="-1"
      :aria-label="closed ? 'Expand' : 'Collapse'"
      @click.stop="emit('twist')"
    >
      <v-icon :icon="closed ? mdiChevronRight : mdiChevronDown" size="14" />
    </button>
    <span v-else class="twist" />
    <RoleIcon :role="item.role" />
    <input
      v-if="renaming"
      ref="field"
      class="renaming"
      :value="item.name"
      aria-label="New name"
      data-test="renaming"
      @click.stop
      @dblclick.stop
      @keydown.stop
      @keydown.enter="named"
      @keydown.escape="emit('named', null)"
      @blur="named"
    />
    <span v-else class="name" :title="about">{{ item.name }}</span>
    <v-icon v-if="item.locked" :icon="mdiLockOutline" size="12" class="lock" title="Locked" />
    <button
      class="eye"
      tabindex="-1"
      :title="shown ? `Hide (${keyOf('hide')})` : 'Show'"
      :aria-label="`${shown ? 'Hide' : 'Show'} ${item.name}`"
      @click.stop="what.toggle(item.id)"
      @dblclick.stop
    >
      <v-icon :icon="shown ? mdiEyeOutline : mdiEyeOffOutline" size="15" />
    </button>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  align-items: center;
  gap: 5px;
  height: 24px;
  padding-right: 8px;
  cursor: default;
  border-left: 3px solid transparent;
}
.row:hover,
.hovered {
  background: var(--card);
}
.row.selected {
  background: var(--plum-tint);
  border-left-color: var(--plum);
  font-weight: 650;
}
.target {
  outline: 1.5px solid var(--accent);
  outline-offset: -2px;
  background: var(--accent-tint);
}
.renaming {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--accent);
  border-radius: 3px;
  padding: 0 3px;
  background: rgb(var(--v-theme-surface));
}
.lock {
  opacity: 0.6;
  flex: none;
}
.gone .name {
  color: var(--soft);
}
.gone svg {
  opacity: 0.45;
}
.name {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.twist {
  width: 14px;
  min-width: 14px;
  flex: none;
  display: grid;
  place-items: center;
}
.eye {
  opacity: 0.6;
  flex: none;
}
.eye:hover {
  opacity: 1;
}
</style>
