<script setup lang="ts">
import { mdiClose } from '@mdi/js'

/** A panel over an edge of the picture, with a name and a way to close it. */
defineProps<{ name: string; side: 'left' | 'right'; closing: string }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <section class="panel" :class="side" :aria-label="name">
    <header>
      <b>{{ name }}</b>
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
header button {
  margin-left: auto;
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
