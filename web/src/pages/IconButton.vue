<script setup lang="ts">
/** A button with a picture only: `path` in a square of 24; `name` is said, and shown on hover. */
defineProps<{ path: string; name: string }>()
</script>

<template>
  <button class="icon" :title="name" :aria-label="name">
    <svg viewBox="0 0 24 24" width="20" height="20" aria-hidden="true">
      <path :d="path" fill="currentColor" />
    </svg>
  </button>
</template>

<style scoped>
.icon {
  width: 30px;
  height: 30px;
  display: grid;
  place-items: center;
  border-radius: 6px;
}
.icon:hover {
  background: var(--accent-tint);
}
</style>
