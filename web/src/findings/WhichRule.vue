<script setup lang="ts">
import { watch } from 'vue'

import { useRules } from './rulesStore'

/** Which rule decides between any two, and why. */
const rules = useRules()
const asked = defineModel<{ a: string; b: string }>({ required: true })
watch([asked, () => rules.rules], () => (rules.ruled = []), { deep: true })
// Asked in the table above: answered at once.
watch(asked, ({ a, b }) => a && b && void rules.askBetween(a, b))
/** So many answers are shown: items of many links give many. */
const SHOWN = 8
</script>

<template>
  <section>
    <h3>Which rule decides?</h3>
    <div class="line">
      <select v-model="asked.a" aria-label="Between" data-test="rule-between">
        <option value="" disabled>between</option>
        <option v-for="n in rules.items" :key="n.key" :value="n.key">{{ n.name }}</option>
      </select>
      <select v-model="asked.b" aria-label="and" data-test="rule-and">
        <option value="" disabled>and</option>
        <option v-for="n in rules.items" :key="n.key" :value="n.key">{{ n.name }}</option>
      </select>
      <button
        class="link"
        :disabled="!asked.a || !asked.b"
        data-test="rule-ask"
        @click="rules.askBetween(asked.a, asked.b)"
      >
        Tell me
      </button>
    </div>
    <p v-for="r in rules.ruled.slice(0, SHOWN)" :key="r.a + r.b" data-test="ruled">
      <b>{{ r.a }} – {{ r.b }}</b> <span class="soft">{{ r.why }}</span>
    </p>
  </section>
</template>
