<script setup lang="ts">
import { mdiDeleteOutline } from '@mdi/js'
import { computed, ref } from 'vue'

import { useUnits } from '../settings/units'
import { type MayTouch, useRules } from './rulesStore'

/** Pairs that may touch: those there are, and one more by hand. */
const rules = useRules()
const units = useUnits()

const names = (pair: MayTouch) => `${rules.nameOf(pair.a)} – ${rules.nameOf(pair.b)}`
/** Why, and within which limits. */
function why({ reason, max_depth_mm, during }: MayTouch) {
  const deep = max_depth_mm ? `, up to ${units.length(max_depth_mm)} deep` : ''
  return `${reason}${deep}${during ? ', during some moves' : ''}`
}

const NOTHING = { a: '', b: '', reason: '', depth: '' }
const more = ref({ ...NOTHING })
const complete = computed(() => {
  const { a, b, reason } = more.value
  return !!a && !!b && a !== b && !!reason.trim()
})
async function add() {
  const { a, b, reason, depth } = more.value
  const max_depth_mm = Number(depth) > 0 ? Number(depth) : null
  if (await rules.letTouch({ a, b, reason, max_depth_mm })) more.value = { ...NOTHING }
}
</script>

<template>
  <section>
    <h3>May touch</h3>
    <div class="pairs">
      <div v-for="pair in rules.pairs" :key="names(pair)" class="pair" data-test="may-touch">
        <span>{{ names(pair) }}</span>
        <span class="soft why">{{ why(pair) }}</span>
        <button
          title="They may touch no longer"
          :aria-label="`${names(pair)} may touch no longer`"
          @click="rules.keepApart(pair)"
        >
          <v-icon :icon="mdiDeleteOutline" size="15" />
        </button>
      </div>
    </div>
    <div class="line">
      <select v-model="more.a" aria-label="One of two that may touch">
        <option value="" disabled>one</option>
        <option v-for="n in rules.items" :key="n.key" :value="n.key">{{ n.name }}</option>
      </select>
      <select v-model="more.b" aria-label="The other of two that may touch">
        <option value="" disabled>the other</option>
        <option v-for="n in rules.items" :key="n.key" :value="n.key">{{ n.name }}</option>
      </select>
      <input
        v-model="more.reason"
        class="reason"
        placeholder="why they may touch"
        aria-label="Why they may touch"
      />
      <label class="soft"
        >up to <input v-model="more.depth" class="short number" placeholder="any" /> mm deep</label
      >
      <button class="link" :disabled="!complete" data-test="may-touch-add" @click="add">
        Let them touch
      </button>
    </div>
  </section>
</template>

<style scoped>
.pairs {
  max-height: 150px;
  overflow: auto;
}
.pair {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 2px 6px;
}
.why {
  flex: 1;
}
.reason {
  flex: 1 1 160px;
  border-bottom: 1px solid var(--line);
}
</style>
