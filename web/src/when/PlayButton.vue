<script setup lang="ts">
import { mdiPause, mdiPlay } from '@mdi/js'

import { useKeys } from '../settings/bindings'

/** Plays or pauses what the strip below the picture shows. */
defineProps<{ playing: boolean; disabled: boolean }>()
const keyOf = useKeys()
</script>

<template>
  <button
    class="play"
    :title="`${playing ? 'Pause' : 'Play'} (${keyOf('play')})`"
    :aria-label="playing ? 'Pause' : 'Play'"
    :disabled="disabled"
  >
    <v-icon :icon="playing ? mdiPause : mdiPlay" size="22" />
  </button>
</template>

<style scoped>
.play {
  width: 32px;
  height: 32px;
  border-radius: 50%;
  background: var(--accent);
  color: rgb(var(--v-theme-surface));
  display: grid;
  place-items: center;
}
.play:disabled {
  opacity: 0.4;
}
</style>
