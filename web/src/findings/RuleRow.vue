<script setup lang="ts">
import { mdiDeleteOutline } from '@mdi/js'

import UnitField from '../what/UnitField.vue'
import { type Rule, useRules } from './rulesStore'
import SideField from './SideField.vue'
import { thresholds } from './thresholds'

/** A rule in the table: what it is about, and what it asks. */
const props = defineProps<{ rule: Rule }>()
const rules = useRules()

const set = (change: Partial<Rule>) => rules.save({ ...props.rule, ...change })
function renamed(e: Event) {
  const field = e.target as HTMLInputElement
  if (field.value.trim()) void set({ name: field.value })
  else field.value = props.rule.name
}
/** The tight value follows where it would be less than what is required. */
const required = (required_mm: number) =>
  set({ required_mm, tight_below_mm: Math.max(required_mm, props.rule.tight_below_mm) })
function fromLibrary(e: Event) {
  const select = e.target as HTMLSelectElement
  const chosen = thresholds[Number(select.value)]
  select.value = ''
  if (chosen) void rules.take(props.rule, chosen)
}
</script>

<template>
  <tr data-test="rule">
    <td>
      <input class="name" :value="rule.name" aria-label="Name of the rule" @change="renamed" />
    </td>
    <td>
      <SideField :side="rule.between" label="the first side" @change="set({ between: $event })" />
    </td>
    <td>
      <SideField
        :side="rule.and ?? []"
        label="the second side"
        open
        @change="set({ and: $event })"
      />
    </td>
    <td class="mm">
      <UnitField
        :value="rule.required_mm"
        kind="length"
        label="Required"
        :least="0.001"
        data-test="rule-required"
        @typed="required"
      />
    </td>
    <td class="mm">
      <UnitField
        :value="rule.tight_below_mm"
        kind="length"
        label="Tight below"
        :least="rule.required_mm"
        @typed="set({ tight_below_mm: $event })"
      />
    </td>
    <td>
      <select
        aria-label="Values from the library"
        title="Values that others have written down"
        class="library"
        @change="fromLibrary"
      >
        <option value="">Library</option>
        <option v-for="(t, i) in thresholds" :key="i" :value="i">
          {{ t.name }}: {{ t.required_mm }} mm ({{ t.source }})
        </option>
      </select>
    </td>
    <td>
      <button
        :title="`Delete rule ${rule.name}`"
        :aria-label="`Delete rule ${rule.name}`"
        data-test="rule-delete"
        @click="rules.remove(rule.id)"
      >
        <v-icon :icon="mdiDeleteOutline" size="16" />
      </button>
    </td>
  </tr>
</template>

<style scoped>
td {
  padding: 4px 6px;
  border-top: 1px solid var(--line);
}
.name {
  width: 100%;
  min-width: 140px;
}
.mm {
  width: 92px;
}
.library {
  width: 78px;
}
</style>
