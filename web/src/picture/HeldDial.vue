<script setup lang="ts">
import { computed } from 'vue'

import { useHeldDial } from './heldDial'
import { useWhere } from '../where/whereStore'

/** Names round the pointer while the dial key is held: a short stroke picks one. */
const props = defineProps<{ index: number }>()
const where = useWhere()
const dial = useHeldDial()
const shown = computed(() => dial.at && where.under === props.index)
const name = (id: string) => where.standardViews.find((v) => v.id === id)?.name ?? id
</script>

<template>
  <Teleport to="body">
    <div
      v-if="shown"
      class="held"
      :style="{ left: `${dial.at!.x}px`, top: `${dial.at!.y}px` }"
      data-test="held-dial"
    >
      <svg width="320" height="320" viewBox="-160 -160 320 320" aria-hidden="true">
        <circle r="120" class="plate" />
        <circle r="78" class="ring" />
        <circle r="22" class="ring" />
        <line
          v-for="i in 8"
          :key="i"
          x1="0"
          y1="22"
          x2="0"
          y2="78"
          class="ring"
          :transform="`rotate(${i * 45 + 22.5})`"
        />
      </svg>
      <span
        v-for="choice in dial.choices"
        :key="choice.id"
        class="name"
        :class="{ on: dial.chosen === choice.id }"
        :style="{ left: `${choice.x}px`, top: `${choice.y}px` }"
        >{{ name(choice.id) }}</span
      >
    </div>
  </Teleport>
</template>

<style scoped>
.held {
  position: fixed;
  z-index: 900;
  pointer-events: none;
}
svg {
  position: absolute;
  left: -160px;
  top: -160px;
}
.plate {
  fill: color-mix(in srgb, rgb(var(--v-theme-surface)) 86%, transparent);
  stroke: var(--line);
}
.ring {
  fill: none;
  stroke: var(--line);
}
.name {
  position: absolute;
  translate: -50% -50%;
  font-size: 12px;
  white-space: nowrap;
  padding: 1px 5px;
  border-radius: 4px;
}
.on {
  background: var(--accent);
  color: rgb(var(--v-theme-surface));
  font-weight: 700;
}
</style>
