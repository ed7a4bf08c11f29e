<script setup lang="ts">
import { ref } from 'vue'

import { useUnits } from '../settings/units'
import MayTouch from './MayTouch.vue'
import RuleRow from './RuleRow.vue'
import { useRules } from './rulesStore'
import TouchingPairs from './TouchingPairs.vue'
import WhichRule from './WhichRule.vue'
import WhoAgainstWhom from './WhoAgainstWhom.vue'

/** Who is checked against whom, and what may touch. */
const rules = useRules()
const units = useUnits()
/** Which two are asked about. */
const asked = ref({ a: '', b: '' })

function spareChanged(e: Event) {
  const field = e.target as HTMLInputElement
  const text = field.value.trim()
  const percent = Number(text)
  if (text === '') void rules.requireReach(null)
  else if (percent >= 0 && percent < 100) void rules.requireReach(percent)
  else field.value = String(rules.reach ?? '')
}
</script>

<template>
  <v-dialog v-model="rules.open" max-width="980" aria-label="Rules">
    <v-card title="Rules" data-test="rules-dialog">
      <v-card-text class="body">
        <section>
          <table>
            <thead>
              <tr>
                <th>Rule</th>
                <th>Between</th>
                <th>and</th>
                <th class="right">Required</th>
                <th class="right">Tight below</th>
                <th><span class="unseen">Values of others</span></th>
                <th><span class="unseen">Delete</span></th>
              </tr>
            </thead>
            <tbody>
              <RuleRow v-for="rule in rules.rules" :key="rule.id" :rule="rule" />
            </tbody>
          </table>
          <p v-if="!rules.rules.length" class="soft">
            Without a rule nothing is measured, and nothing is certified.
          </p>
          <div class="line">
            <button class="link" data-test="rule-add" @click="rules.add">Add a rule</button>
            <label class="soft"
              >Targets leave at least
              <input
                class="short number"
                :value="rules.reach ?? ''"
                placeholder="–"
                aria-label="Reach to spare, percent"
                @change="spareChanged"
              />
              % of the reach</label
            >
            <span class="soft grow"
              >In {{ units.sign }}. Of several rules the most particular decides: a link before its
              item, an item before its carrier, then sets, roles, everything.</span
            >
          </div>
        </section>
        <TouchingPairs />
        <MayTouch />
        <WhoAgainstWhom @asked="(a, b) => (asked = { a, b })" />
        <WhichRule v-model="asked" />
      </v-card-text>
      <v-card-actions>
        <v-spacer /><v-btn data-test="rules-close" @click="rules.open = false">Close</v-btn>
      </v-card-actions>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.body {
  max-height: 74vh;
  overflow: auto;
  display: grid;
  gap: 16px;
  font-size: 13px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 600;
  color: var(--soft);
  padding: 0 6px 4px;
}
.right {
  text-align: right;
}
.grow {
  flex: 1 1 320px;
  font-size: 12px;
}
.body :deep(select) {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  max-width: 190px;
}
.body :deep(.line) {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  padding: 6px;
}
.body :deep(.short) {
  width: 40px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.body :deep(h3) {
  font-size: 13px;
  padding: 0 6px 3px;
}
</style>
