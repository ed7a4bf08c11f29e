<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { useUnits } from '../settings/units'

/** A number with its unit, typed absolute, or as an increment with `+` in front. */
const props = defineProps<{
  value: number
  kind: 'length' | 'angle'
  label: string
  disabled?: boolean
  /** When this changes an answer has come: what was typed has become the value, or was refused. */
  answered?: number
  /** How many digits more than usual are shown. */
  digits?: number
  /** No smaller value and no greater one makes sense, mm or degrees. */
  least?: number
  most?: number
  /** The arrows up and down step it, with Shift by ten times as much, with Alt by a tenth. */
  steps?: boolean
}>()
const emit = defineEmits<{ typed: [value: number] }>()
const units = useUnits()
const said = (value: number, digits: number) =>
  props.kind === 'length' ? units.number(value, digits) : units.angleNumber(value, digits)
const digits = computed(() => props.digits ?? 2)
const shown = computed(() => said(props.value, digits.value))
const text = ref(shown.value)
const wrong = ref(false)
watch([shown, () => props.answered], ([now]) => (text.value = now))
const least = computed(() => props.least ?? -Infinity)
const most = computed(() => props.most ?? Infinity)

function done() {
  if (text.value === shown.value) return (wrong.value = false)
  const value =
    props.kind === 'length'
      ? units.lengthTyped(text.value, props.value)
      : units.angleTyped(text.value, props.value)
  const fits = value !== null && value >= least.value && value <= most.value
  wrong.value = !fits
  if (fits) emit('typed', value)
}
function stepBy(direction: number, e: KeyboardEvent) {
  if (!props.steps) return
  e.preventDefault()
  const by = e.shiftKey ? 10 : 1
  const to = props.value + direction * (e.altKey ? 0.1 : by)
  emit('typed', Math.min(most.value, Math.max(least.value, to)))
}
/** Escape takes back what was typed, and only then goes no further. */
function back(e: KeyboardEvent) {
  if (text.value === shown.value && !wrong.value) return
  e.stopPropagation()
  text.value = shown.value
  wrong.value = false
}
const sign = computed(() => (props.kind === 'length' ? units.sign.value : units.angleSign.value))
/** What can be typed, for who typed something else. */
const wanted = computed(() => {
  const ends = [
    props.least !== undefined && `at least ${said(props.least, digits.value)}`,
    props.most !== undefined && `at most ${said(props.most, digits.value)}`,
  ].filter(Boolean)
  return ['That is no number with a unit that is known here', ...ends].join(', ')
})
const hint = computed(() => {
  const stepped = props.steps ? '; arrows step by 1, with Shift by 10, with Alt by 0.1' : ''
  const typing = '+5 adds 5, +-5 takes 5 away; other units as in "2 in"'
  return `${props.label}, ${sign.value}; ${typing}${stepped}`
})
</script>

<template>
  <input
    v-model="text"
    class="number field"
    :class="{ wrong }"
    :aria-label="`${label}, ${sign}`"
    :title="wrong ? wanted : hint"
    :aria-invalid="wrong"
    :data-done="text === shown && !wrong ? '' : undefined"
    :disabled="disabled"
    @change="done"
    @keydown.escape="back"
    @keydown.up="stepBy(1, $event)"
    @keydown.down="stepBy(-1, $event)"
    @focus="($event.target as HTMLInputElement).select()"
  />
</template>

<style scoped>
.field {
  width: 100%;
  min-width: 0;
  padding: 1px 4px;
  text-align: right;
  border: 1px solid transparent;
  border-bottom-color: var(--line);
  border-radius: 3px;
}
.field:focus {
  border-color: var(--accent);
}
.field:disabled {
  color: var(--soft);
}
.wrong {
  border-color: rgb(var(--v-theme-error));
  color: rgb(var(--v-theme-error));
}
</style>
