<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { useDraggable } from '@vueuse/core'
import { computed, ref } from 'vue'

import { useSettings } from '../settings/settingsStore'

/** A panel over the picture, with a name by which it can be dragged and a way to close it. */
const props = defineProps<{ name: string; side: 'left' | 'right'; closing: string }>()
const settings = useSettings()

const panel = ref<HTMLElement>()
const head = ref<HTMLElement>()
useDraggable(panel, {
  handle: head,
  containerElement: computed(() => panel.value?.offsetParent as HTMLElement | null),
  onStart: (_, e) => ((e.target as Element).closest('button, select') ? false : undefined),
  onMove: ({ x, y }) => {
    settings.panels.placed = { ...settings.panels.placed, [props.name]: [x, y] }
  },
})
/** Where it was dragged to, as far as its head can be seen there. */
const place = computed(() => {
  const at = settings.panels.placed[props.name]
  if (!at) return undefined
  const top = `min(${at[1]}px, calc(100% - 60px))`
  return {
    left: `min(${at[0]}px, calc(100% - 120px))`,
    right: 'auto',
    top,
    maxHeight: `calc(100% - 12px - ${top})`,
  }
})
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <section ref="panel" class="panel" :class="side" :style="place" :aria-label="name">
    <header ref="head">
      <b title="Drag to move the panel">{{ name }}</b>
      <slot name="head" />
      <button :title="closing" :aria-label="closing" @click="emit('close')">
        <v-icon :icon="mdiClose" size="16" />
      </button>
    </header>
    <slot />
  </section>
</template>

<style scoped>
.panel {
  position: absolute;
  top: 48px;
  max-height: calc(100% - 60px);
  overflow: auto;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 7px;
  padding: 8px 12px 10px;
  font-size: 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: rgb(var(--v-theme-surface));
}
/* The bearing dial stands below. */
.left {
  left: 12px;
  max-height: calc(100% - 190px);
  width: 340px;
}
.right {
  right: 12px;
  width: 268px;
}
header,
.panel :deep(.line) {
  display: flex;
  gap: 4px 8px;
  align-items: center;
}
.panel :deep(.line) {
  flex-wrap: wrap;
}
header {
  position: sticky;
  top: -8px;
  z-index: 1;
  margin: -8px -12px 0;
  padding: 8px 12px 3px;
  background: rgb(var(--v-theme-surface));
  cursor: grab;
  touch-action: none;
}
header:active {
  cursor: grabbing;
}
header button {
  margin-left: auto;
}
.panel :deep(button[aria-pressed='true']) {
  color: var(--accent);
  background: var(--accent-tint);
  border-radius: 4px;
}
.panel :deep(select) {
  min-width: 0;
  max-width: 180px;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 3px;
  background: inherit;
  appearance: auto;
}
.panel :deep(label) {
  white-space: nowrap;
}
.panel :deep(.field) {
  line-height: 18px;
}
.panel :deep(.short) {
  width: 48px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.panel :deep(.warn) {
  color: rgb(var(--v-theme-error));
}
</style>
