<script setup lang="ts">
import { computed } from 'vue'

import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import UnitField from '../what/UnitField.vue'
import { useWhat } from '../what/whatStore'
import { clock } from '../when/whenStore'
import { foundOf, type Steps, useVariants, type Variant } from './variantsStore'
import VerdictMark from './VerdictMark.vue'
import { verdictWord } from './verdicts'

/** Other places for what is selected, each swept without being made. */
const variants = useVariants()
const cell = useCell()
const units = useUnits()
const what = useWhat()

const directions = { x: 'X', y: 'Y', z: 'Z', turn: 'turn' } as const
const ends = ['from', 'to'] as const
const kind = (s: Steps) => (s.direction === 'turn' ? 'angle' : 'length')
const sign = (key: keyof typeof directions) =>
  key === 'turn' ? units.angleSign.value : units.sign.value
function setCount(s: Steps, e: Event) {
  const field = e.target as HTMLInputElement
  const to = Math.round(Number(field.value))
  if (to >= 1 && to <= 1000) s.count = to
  field.value = `${s.count}`
}

const chosen = computed(() => {
  const [first, ...more] = [...what.selected].map((id) => cell.items.get(id)?.name ?? id)
  return first && more.length ? `${first} and ${more.length} more` : first
})
const done = computed(() => variants.all.length - variants.wanted)

/** Never more than is certain. */
const margin = (v: Variant) => {
  const mm = foundOf(v)?.worst?.margin_mm
  return typeof mm === 'number' ? `${mm < 0 ? '' : '+'}${units.floor(mm, 1)}` : ''
}
/** What is worst, in words. */
function detail(v: Variant) {
  const found = foundOf(v)
  if (!found) return v.outcome && 'why' in v.outcome ? v.outcome.why : ''
  const counts = [
    [found.broken, 'broken'],
    [found.not_certified, 'not certified'],
    [found.tight, 'tight'],
  ].filter(([n]) => n)
  const reach = found.reach && found.reach !== 'meets' && `reach ${verdictWord(found.reach)}`
  const words = [...counts.map(([n, word]) => `${n} ${word}`), ...(reach ? [reach] : [])]
  const all = words.join(', ') || 'all meet'
  const worst = found.worst
  return worst ? `${all} · ${worst.between} at ${clock(worst.time_s)}` : all
}
const state = (v: Variant) => {
  if (v.wanted) return v.begun ? 'is swept' : 'waits'
  if (!v.outcome || v.outcome.outcome === 'lost') return 'not swept'
  return v.fresh ? '' : 'of an older model'
}
</script>

<template>
  <section class="figures" aria-label="Variants" data-test="variants">
    <p v-if="chosen">
      Other places for <b>{{ chosen }}</b>, from where it stands:
    </p>
    <p v-else class="soft">
      Select what might stand elsewhere: each of its places is swept, and nothing is changed.
    </p>
    <div class="steps">
      <span class="soft">along</span><span class="soft">from</span><span class="soft">to</span
      ><span class="soft">in</span>
      <template v-for="(s, i) in variants.steps" :key="i">
        <select
          v-model="s.direction"
          :aria-label="i ? 'And along' : 'Along'"
          :data-test="`series-axis-${i}`"
        >
          <option v-if="i" value="">and …</option>
          <option v-for="(name, key) in directions" :key="key" :value="key">
            {{ name }}, {{ sign(key) }}
          </option>
        </select>
        <template v-if="s.direction">
          <UnitField
            v-for="end in ends"
            :key="end"
            :value="s[end]"
            :kind="kind(s)"
            :label="end"
            :data-test="`series-${end}-${i}`"
            @typed="s[end] = $event"
          />
          <input
            class="number count"
            :value="s.count"
            aria-label="Places"
            title="How many places, both ends counted"
            :data-test="`series-count-${i}`"
            @change="setCount(s, $event)"
          />
        </template>
      </template>
    </div>
    <div class="row">
      <v-btn
        color="primary"
        :disabled="!chosen || !variants.places"
        data-test="add-series"
        @click="variants.add"
        >Sweep {{ variants.places }} places</v-btn
      >
      <template v-if="variants.wanted">
        <span class="number" data-test="variants-done"
          >{{ done }} of {{ variants.all.length }}</span
        >
        <v-btn data-test="stop-variants" @click="variants.stop">Stop</v-btn>
      </template>
      <v-btn
        v-else-if="variants.behind"
        title="Those that were not swept, or of an older model"
        data-test="sweep-variants"
        @click="variants.sweep"
        >Sweep {{ variants.behind }} more</v-btn
      >
    </div>
    <div v-if="variants.all.length" class="row above">
      <label
        ><input v-model="variants.bestFirst" type="checkbox" data-test="best-first" /> best
        first</label
      >
      <button class="link" data-test="clear-variants" @click="variants.clear">Delete all</button>
    </div>
    <div
      v-for="v in variants.shown"
      :key="v.id"
      class="variant"
      :class="{ old: !v.fresh }"
      data-test="variant"
    >
      <VerdictMark v-if="foundOf(v)" :verdict="foundOf(v)!.verdict" /><span v-else />
      <span class="name">{{ v.name }}</span>
      <b
        class="number margin"
        :class="foundOf(v)?.worst?.verdict"
        title="What its worst pair certainly keeps, beyond what its rule asks for"
        >{{ margin(v) }}</b
      >
      <div class="about">
        <span class="does">
          <button
            class="link"
            title="Change the cell so; it can be undone"
            data-test="apply-variant"
            @click="variants.apply(v)"
          >
            Apply
          </button>
          <button
            class="soft"
            :aria-label="`Delete ${v.name}`"
            title="Delete this variant"
            data-test="delete-variant"
            @click="variants.remove(v)"
          >
            ✕
          </button>
        </span>
        <span class="soft said">{{ detail(v) }}</span> <i v-if="state(v)">{{ state(v) }}</i>
      </div>
    </div>
    <button
      v-if="variants.shown.length < variants.all.length"
      class="link"
      data-test="more-variants"
      @click="variants.showMore"
    >
      {{ variants.all.length - variants.shown.length }} more
    </button>
  </section>
</template>

<style scoped>
.steps {
  display: grid;
  grid-template-columns: 64px 1fr 1fr 26px;
  gap: 3px;
  align-items: center;
}
.steps select {
  grid-column: 1;
}
.steps .soft:not(:first-child) {
  text-align: right;
}
.count {
  min-width: 0;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 3px;
}
.above {
  justify-content: space-between;
}
.link {
  color: var(--accent);
}
.variant {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) auto;
  gap: 0 4px;
  align-items: baseline;
  padding: 4px 0 2px;
  border-top: 1px solid var(--line);
}
.name {
  font-weight: 600;
}
.margin {
  white-space: nowrap;
}
.about {
  grid-column: 2 / 4;
}
.does {
  float: right;
  display: flex;
  gap: 8px;
  margin-left: 8px;
}
.margin.broken {
  color: rgb(var(--v-theme-error));
}
.margin.tight {
  color: rgb(var(--v-theme-warning));
}
.old .name,
.old .margin,
.old .said {
  opacity: 0.65;
}
</style>
