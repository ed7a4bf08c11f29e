<script setup lang="ts">
defineProps<{ role: string }>()
/** Drawn for this work: one line each. */
const lines: Record<string, string> = {
  robot: 'M3 14h7M6.500 14V10L4 6l6-3 3 3M13 6v2',
  tool: 'M5 2h6v5H5zM8 7v4M6 11h4l-2 3z',
  fixture: 'M2 13h12M4 13V8h8v5M6 8V4M10 8V4',
  part: 'M8 3a5 5 0 1 0 .01 0M8 6a2 2 0 1 0 .01 0',
  structure: 'M3 14V3h10v11M3 8h10',
  frame: 'M4 3v9h9M4 12l4-4',
  group: 'M3 4h10v8H3z',
}
</script>

<template>
  <svg viewBox="0 0 16 16" width="15" height="15" aria-hidden="true" :class="role">
    <title>{{ role }}</title>
    <path
      :d="lines[role]"
      fill="none"
      stroke="currentColor"
      stroke-width="1.500"
      stroke-linejoin="round"
      stroke-linecap="round"
    />
  </svg>
</template>

<style scoped>
svg {
  flex: none;
  opacity: 0.85;
}
.robot {
  color: rgb(var(--v-theme-robot));
}
.tool {
  color: rgb(var(--v-theme-tool));
}
.fixture {
  color: rgb(var(--v-theme-fixture));
}
.part {
  color: rgb(var(--v-theme-part));
}
.frame {
  color: rgb(var(--v-theme-frame));
}
</style>
