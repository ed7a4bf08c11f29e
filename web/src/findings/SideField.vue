<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed } from 'vue'

import { useRules } from './rulesStore'

/** One side of a rule: what it names. */
const props = defineProps<{ side: string[]; label: string; open?: boolean }>()
const emit = defineEmits<{ change: [side: string[]] }>()
const rules = useRules()
const free = computed(() => rules.nameable.filter((n) => !props.side.includes(n.key)))
const kinds = [
  ['role', 'By role'],
  ['set', 'Visibility sets'],
  ['item', 'Items'],
] as const
function add(e: Event) {
  const select = e.target as HTMLSelectElement
  if (select.value) emit('change', [...props.side, select.value])
  select.value = ''
}
const take = (key: string) =>
  emit(
    'change',
    props.side.filter((k) => k !== key),
  )
/** The last name of a side that must name something stays. */
const kept = computed(() => !props.open && props.side.length === 1)
</script>

<template>
  <div class="side">
    <span v-if="!side.length" class="soft">everything</span>
    <span v-for="key in side" :key="key" class="named">
      {{ rules.nameOf(key) }}
      <button
        v-if="!kept"
        :title="`Leave out ${rules.nameOf(key)}`"
        :aria-label="`Leave out ${rules.nameOf(key)}`"
        @click="take(key)"
      >
        <v-icon :icon="mdiClose" size="12" />
      </button>
    </span>
    <select :aria-label="`Add to ${label}`" :title="`Add to ${label}`" @change="add">
      <option value="">+</option>
      <optgroup v-for="[kind, title] in kinds" :key="kind" :label="title">
        <option v-for="n in free.filter((f) => f.kind === kind)" :key="n.key" :value="n.key">
          {{ n.name }}
        </option>
      </optgroup>
    </select>
  </div>
</template>

<style scoped>
.side {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
  align-items: center;
}
.named {
  display: inline-flex;
  gap: 3px;
  align-items: center;
  padding: 0 6px;
  border-radius: 9px;
  background: var(--card);
  border: 1px solid var(--line);
}
select {
  width: 34px;
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
}
</style>
