<script setup lang="ts">
import { mdiDeleteOutline, mdiPlus } from '@mdi/js'
import { computed, ref, watch } from 'vue'

import { useItems } from './itemsStore'

/** A robot from the numbers of its datasheet: a Denavit–Hartenberg table. */
const items = useItems()

interface Row {
  joint: string
  slides: boolean
  numbers: string[]
}
const COLUMNS = ['a', 'α', 'd', 'θ', 'from', 'to', 'speed'] as const
const begun = (n: number): Row => ({
  joint: `J${n}`,
  slides: false,
  numbers: ['0', '0', '0', '0', '-180', '180', '180'],
})

const name = ref('Robot')
const convention = ref<'standard' | 'modified'>('standard')
const drawn = ref(true)
const rows = ref<Row[]>([])
watch(
  () => items.tabling,
  (open) => {
    if (open && !rows.value.length) rows.value = [1, 2, 3, 4, 5, 6].map(begun)
  },
)
const value = (text: string) => {
  const number = Number(text.replace(',', '.'))
  return text.trim() && Number.isFinite(number) ? number : null
}
const wrong = (row: Row, column: number) => {
  const read = value(row.numbers[column]!)
  if (read === null) return true
  if (column === 5) return read <= (value(row.numbers[4]!) ?? -Infinity)
  return column === 6 && read <= 0
}
/** Lengths in mm, angles in degrees; what the joint does is in either. */
const unitOf = (row: Row, column: number) => {
  const own = row.slides ? 'mm' : '°'
  return ['mm', '°', 'mm', '°', own, own, `${own}/s`][column]!
}
const complete = computed(
  () =>
    !!name.value.trim() &&
    rows.value.length > 0 &&
    rows.value.every((row) => row.joint.trim() && COLUMNS.every((_, i) => !wrong(row, i))) &&
    new Set(rows.value.map((row) => row.joint.trim())).size === rows.value.length,
)
/** A row that slides starts with a stroke, one that turns with a turn. */
function changed(row: Row) {
  const [from, to, speed] = row.slides ? ['0', '500', '500'] : ['-180', '180', '180']
  row.numbers.splice(4, 3, from!, to!, speed!)
}
function add() {
  const taken = new Set(rows.value.map((row) => row.joint))
  let n = rows.value.length + 1
  while (taken.has(`J${n}`)) n++
  rows.value.push(begun(n))
}
/** Cells of a spreadsheet that are pasted fill the table from there on, to the right and down. */
function pasted(e: ClipboardEvent, at: number, column: number) {
  const lines = (e.clipboardData?.getData('text') ?? '').replace(/[\r\n]+$/, '').split(/\r?\n/)
  const cells = lines.map((line) => line.split(line.includes('\t') ? '\t' : /;|\s{2,}/))
  if (cells.length < 2 && cells[0]!.length < 2) return
  e.preventDefault()
  cells.forEach((line, down) => {
    if (at + down >= rows.value.length) add()
    line.slice(0, COLUMNS.length - column).forEach((text, right) => {
      rows.value[at + down]!.numbers[column + right] = text.trim()
    })
  })
}
async function make() {
  const made = await items.addArm({
    name: name.value,
    convention: convention.value,
    drawn: drawn.value,
    rows: rows.value.map(({ joint, slides, numbers }) => {
      const [a_mm, alpha_deg, d_mm, theta_deg, from, to, speed] = numbers.map((n) => value(n)!)
      const does = { limits_deg_or_mm: [from!, to!], velocity_deg_or_mm_s: speed! }
      return { joint, slides, a_mm, alpha_deg, d_mm, theta_deg, ...does }
    }),
  })
  if (made) rows.value = []
}
</script>

<template>
  <v-dialog v-model="items.tabling" max-width="760" aria-label="Robot from a table">
    <v-card title="Robot from a table" data-test="arm-dialog">
      <v-card-text class="fields">
        <p class="soft">
          The Denavit–Hartenberg table of its datasheet, from base to tip: mm and degrees. Cells of
          a spreadsheet can be pasted.
        </p>
        <div class="line">
          <label>Name <input v-model="name" data-test="arm-name" /></label>
          <label
            >Convention
            <select v-model="convention" data-test="arm-convention">
              <option value="standard">standard: θ, d, a, α</option>
              <option value="modified">modified: α, a, θ, d</option>
            </select></label
          >
          <label><input v-model="drawn" type="checkbox" /> Draw links to size</label>
        </div>
        <table>
          <thead>
            <tr>
              <th>Joint</th>
              <th>It</th>
              <th v-for="column in COLUMNS" :key="column">{{ column }}</th>
              <th><span class="unseen">Delete</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, at) in rows" :key="at" data-test="arm-row">
              <td>
                <input
                  v-model="row.joint"
                  class="joint"
                  :aria-label="`Name of joint ${at + 1}`"
                  :class="{ wrong: !row.joint.trim() }"
                />
              </td>
              <td>
                <select
                  v-model="row.slides"
                  :aria-label="`What joint ${at + 1} does`"
                  @change="changed(row)"
                >
                  <option :value="false">turns</option>
                  <option :value="true">slides</option>
                </select>
              </td>
              <td v-for="(column, i) in COLUMNS" :key="column">
                <input
                  v-model="row.numbers[i]"
                  class="number short"
                  :class="{ wrong: wrong(row, i) }"
                  :aria-label="`${column} of joint ${at + 1}, ${unitOf(row, i)}`"
                  :title="unitOf(row, i)"
                  :data-test="`arm-${at}-${column}`"
                  @paste="pasted($event, at, i)"
                />
              </td>
              <td>
                <button
                  title="Delete the row"
                  :aria-label="`Delete row ${at + 1}`"
                  @click="rows.splice(at, 1)"
                >
                  <v-icon :icon="mdiDeleteOutline" size="15" />
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <button class="link more" data-test="arm-more" @click="add">
          <v-icon :icon="mdiPlus" size="15" /> One more joint
        </button>
      </v-card-text>
      <v-card-actions
        ><v-spacer /><v-btn @click="items.tabling = false">Cancel</v-btn
        ><v-btn color="primary" :disabled="!complete" data-test="arm-make" @click="make"
          >Add the robot</v-btn
        ></v-card-actions
      >
    </v-card>
  </v-dialog>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 10px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
}
th {
  padding: 0 4px;
  font-size: 12px;
  font-weight: 600;
  text-align: left;
}
td {
  padding: 1px 4px;
}
input:not([type='checkbox']) {
  border-bottom: 1px solid var(--line);
}
select {
  appearance: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.joint {
  width: 76px;
}
.short {
  width: 58px;
  text-align: right;
}
.wrong {
  border-color: rgb(var(--v-theme-error));
  color: rgb(var(--v-theme-error));
}
.more {
  justify-self: start;
}
</style>
