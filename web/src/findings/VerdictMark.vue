<script setup lang="ts">
defineProps<{ verdict: string }>()
</script>

<template>
  <svg viewBox="0 0 14 14" width="13" height="13" role="img" :aria-label="verdict" :class="verdict">
    <circle v-if="verdict === 'meets'" cx="7" cy="7" r="5" fill="none" stroke="currentColor" stroke-width="2" />
    <path v-else-if="verdict === 'tight'" d="M7 1.500 13 12.500H1z" fill="currentColor" />
    <g v-else><rect x="1" y="1" width="12" height="12" fill="currentColor" /><rect x="3" y="6" width="8" height="2" fill="rgb(var(--v-theme-surface))" /></g>
  </svg>
</template>

<style scoped>
.meets { color: rgb(var(--v-theme-success)); }
.tight { color: rgb(var(--v-theme-warning)); }
.broken { color: rgb(var(--v-theme-error)); }
</style>
