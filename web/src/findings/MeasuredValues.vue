<script setup lang="ts">
import { ref } from 'vue'

import type { Told } from './known'

/** Numbers by name; a click on one shows it as it is, with all its digits. */
defineProps<{ values: Told[] }>()
const raw = ref<number | null>(null)
const show = (index: number) => (raw.value = raw.value === index ? null : index)
</script>

<template>
  <dl class="values">
    <template v-for="(value, i) in values" :key="i">
      <dt>{{ value.name }}</dt>
      <dd>
        <button
          class="number"
          :class="{ raw: raw === i }"
          :title="raw === i ? 'As set' : `All digits: ${value.raw}`"
          @click="show(i)"
        >
          {{ raw === i ? value.raw : value.text }}
        </button>
      </dd>
    </template>
  </dl>
</template>

<style scoped>
.values {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 1px 10px;
  align-items: baseline;
  font-size: 12px;
}
dt {
  color: var(--soft);
}
dd {
  text-align: right;
  min-width: 0;
}
button {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  text-align: right;
}
button:hover {
  color: var(--accent);
}
</style>
