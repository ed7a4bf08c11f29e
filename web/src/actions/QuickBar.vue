<script setup lang="ts">
import { computed } from 'vue'

import type { Action } from './action'
import { readable } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'

/** Actions a person pinned. */
const props = defineProps<{ actions: Action[] }>()
const settings = useSettings()
const pinned = computed(() =>
  settings.pinned.flatMap((id) => props.actions.find((a) => a.id === id) ?? []),
)
</script>

<template>
  <div
    v-if="pinned.length"
    class="quick"
    role="toolbar"
    aria-label="Quick bar"
    data-test="quick-bar"
  >
    <button
      v-for="a in pinned"
      :key="a.id"
      :disabled="a.enabled?.() === false"
      :title="`${a.name}${a.key ? ` (${readable(a.key)})` : ''}. Unpin it in Find…`"
      @click="a.run()"
    >
      {{ a.name }}
    </button>
  </div>
</template>

<style scoped>
.quick {
  position: absolute;
  left: 50%;
  bottom: 10px;
  translate: -50% 0;
  display: flex;
  gap: 2px;
  padding: 3px;
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  max-width: 50%;
  overflow-x: auto;
}
button {
  padding: 3px 9px;
  border-radius: 6px;
  white-space: nowrap;
  max-width: 160px;
  overflow: hidden;
  text-overflow: ellipsis;
}
button:hover {
  background: var(--accent-tint);
}
button:disabled {
  opacity: 0.4;
}
</style>
