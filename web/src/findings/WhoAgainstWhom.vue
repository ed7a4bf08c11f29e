<script setup lang="ts">
import { computed } from 'vue'

import { useUnits } from '../settings/units'
import { useRules } from './rulesStore'

/** Who is measured against whom, as a table of distances: what is required where two names meet. */
const rules = useRules()
const units = useUnits()
const emit = defineEmits<{ asked: [a: string, b: string] }>()

const things = computed(() => rules.against?.things ?? [])
const places = computed(() => {
  const all = rules.against?.places ?? []
  return new Map(all.map((place) => [`${place.a} ${place.b}`, place]))
})
const placeOf = (row: number, column: number) => places.value.get(`${column} ${row}`)
const name = (at: number) => rules.nameOf(things.value[at]!)

/** What stands in a place: the least that is required, with a sign where some is more. */
function shown(row: number, column: number): string {
  const place = placeOf(row, column)
  if (!place) return ''
  if (!place.required_mm) return 'touch'
  const [least, most] = place.required_mm
  return `${units.shortNumber(least!)}${most! > least! ? '+' : ''}`
}
function told(row: number, column: number): string {
  const two = row === column ? `Within ${name(row)}` : `${name(row)} – ${name(column)}`
  const place = placeOf(row, column)
  if (!place) return `${two}: not measured`
  const by = place.rules.map(rules.ruleName).join(', ')
  const measured = place.measured ? `${place.measured} pairs of bodies, by ${by}` : ''
  const touch = place.may_touch ? `${place.may_touch} may touch` : ''
  return `${two}: ${[measured, touch].filter(Boolean).join('; ')}`
}
</script>

<template>
  <section v-if="things.length > 1" data-test="against">
    <h3>
      Who against whom <span class="soft">in {{ units.sign }}; choose a place to ask why</span>
    </h3>
    <div class="scroll">
      <table>
        <tbody>
          <tr v-for="(thing, row) in things" :key="thing">
            <th scope="row" :title="name(row)">{{ name(row) }}</th>
            <td v-for="column in row + 1" :key="column">
              <button
                :class="{
                  some: placeOf(row, column - 1)?.required_mm,
                  touch: placeOf(row, column - 1)?.may_touch,
                }"
                :title="told(row, column - 1)"
                :aria-label="told(row, column - 1)"
                :data-test="`against-${thing}-${things[column - 1]}`"
                @click="emit('asked', thing, things[column - 1]!)"
              >
                {{ shown(row, column - 1) || '·' }}
              </button>
            </td>
            <td class="corner">
              <span :title="name(row)">{{ row + 1 < things.length ? name(row) : '' }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
h3 .soft {
  font-weight: 400;
}
.scroll {
  max-height: 300px;
  overflow: auto;
}
table {
  width: auto;
  border-collapse: collapse;
  font-size: 12px;
}
th {
  position: sticky;
  left: 0;
  z-index: 1;
  max-width: 150px;
  padding: 0 8px 0 0;
  overflow: hidden;
  font-weight: 400;
  text-align: right;
  text-overflow: ellipsis;
  white-space: nowrap;
  background: rgb(var(--v-theme-surface));
}
td {
  padding: 0;
}
button {
  width: 44px;
  height: 24px;
  color: var(--soft);
  font-variant-numeric: tabular-nums;
  border: 1px solid var(--line);
}
.some {
  color: inherit;
  background: var(--accent-tint);
}
.touch {
  border-style: dashed;
}
.corner {
  position: relative;
}
.corner span {
  position: absolute;
  top: 4px;
  left: 6px;
  color: var(--soft);
  white-space: nowrap;
}
</style>
