<script setup lang="ts">
import type { Layout } from './panes'

defineProps<{ layout: Layout }>()
const lines: Record<Layout, string> = {
  one: '',
  side: 'M8 2v12',
  stacked: 'M2 8h12',
  four: 'M8 2v12M2 8h12',
}
</script>

<template>
  <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true">
    <path
      :d="`M2 2h12v12H2z${lines[layout]}`"
      fill="none"
      stroke="currentColor"
      stroke-width="1.3"
    />
  </svg>
</template>

<style scoped>
svg {
  margin-right: 10px;
}
</style>
