<script setup lang="ts">
import { verdictWord } from './verdicts'

defineProps<{ verdict: string }>()
</script>

<template>
  <svg
    viewBox="0 0 14 14"
    width="13"
    height="13"
    role="img"
    :aria-label="verdictWord(verdict)"
    :class="verdict"
  >
    <circle
      v-if="verdict === 'meets'"
      cx="7"
      cy="7"
      r="5"
      fill="none"
      stroke="currentColor"
      stroke-width="2"
    />
    <path v-else-if="verdict === 'tight'" d="M7 1.500 13 12.500H1z" fill="currentColor" />
    <g
      v-else-if="verdict === 'not_certified'"
      fill="none"
      stroke="currentColor"
      stroke-width="1.500"
    >
      <rect x="1" y="1" width="12" height="12" />
      <path d="M5 5.400a2 2 0 1 1 2.900 1.800c-.600.300-.900.600-.900 1.300" />
      <path d="M7 10.400v.900" />
    </g>
    <g v-else>
      <rect x="1" y="1" width="12" height="12" fill="currentColor" />
      <rect x="3" y="6" width="8" height="2" fill="rgb(var(--v-theme-surface))" />
    </g>
  </svg>
</template>

<style scoped>
.meets {
  color: rgb(var(--v-theme-success));
}
.tight {
  color: rgb(var(--v-theme-warning));
}
.broken {
  color: rgb(var(--v-theme-error));
}
.not_certified {
  color: rgb(var(--v-theme-on-surface));
}
</style>
