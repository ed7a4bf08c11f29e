<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Action } from './action'
import { bindingOf, readable } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'

const props = defineProps<{ actions: Action[] }>()
const settings = useSettings()
const words = ref('')
const listening = ref<string | null>(null)
const clash = ref<{ key: string; wanted: Action; has: Action } | null>(null)
const found = computed(() => {
  const wanted = words.value.toLowerCase().split(/\s+/)
  return props.actions.filter((a) =>
    wanted.every((w) => `${a.name} ${a.of} ${a.key ?? ''}`.toLowerCase().includes(w)),
  )
})
function set(id: string, key: string) {
  const standard = props.actions.find((a) => a.id === id)?.standardKey ?? ''
  const others = Object.fromEntries(Object.entries(settings.keys).filter(([a]) => a !== id))
  settings.keys = key === standard ? others : { ...others, [id]: key }
}
function caught(e: KeyboardEvent) {
  const wanted = props.actions.find((a) => a.id === listening.value)
  if (!wanted || ['Control', 'Shift', 'Alt', 'Meta'].includes(e.key)) return
  e.preventDefault()
  e.stopPropagation()
  listening.value = null
  const key = bindingOf(e)
  const has = props.actions.find((a) => a.key === key && a.id !== wanted.id)
  if (has) clash.value = { key, wanted, has }
  else set(wanted.id, key)
}
function shownFor({ id, key }: Action) {
  if (listening.value === id) return 'press a key…'
  return key ? readable(key) : 'none'
}
function swap() {
  const { key, wanted, has } = clash.value!
  const given = wanted.key ?? ''
  set(wanted.id, key)
  set(has.id, given)
  clash.value = null
}
</script>

<template>
  <input
    v-model="words"
    class="find"
    placeholder="Find an action or a key"
    aria-label="Find an action or a key"
    data-test="key-find"
  />
  <p v-if="clash" class="clash" role="alert" data-test="clash">
    <kbd>{{ readable(clash.key) }}</kbd> is in use for “{{ clash.has.name }}”.
    <button data-test="clash-swap" @click="swap">Swap the two</button
    ><button data-test="clash-refuse" @click="clash = null">Leave it as it was</button>
  </p>
  <table @keydown="caught">
    <tbody>
      <tr v-for="a in found" :key="a.id">
        <td class="soft">{{ a.of }}</td>
        <td>{{ a.name }}</td>
        <td>
          <button
            class="key"
            :class="{ on: listening === a.id, changed: settings.keys[a.id] !== undefined }"
            :data-test="`key-${a.id}`"
            :title="`Press to give it another key`"
            @click="listening = a.id"
          >
            {{ shownFor(a) }}
          </button>
          <button
            v-if="a.key && listening !== a.id"
            :aria-label="`Take the key from ${a.name}`"
            title="No key"
            @click="set(a.id, '')"
          >
            ×
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.find {
  width: 100%;
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 5px 10px;
  margin-bottom: 10px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 2px 6px;
  border-bottom: 1px solid var(--line);
}
td:first-child {
  width: 74px;
}
td:last-child {
  text-align: right;
  white-space: nowrap;
}
.key {
  font-family: var(--mono);
  font-size: 12px;
  padding: 1px 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  min-width: 52px;
}
.key.on {
  border-color: var(--accent);
  background: var(--accent-tint);
}
.key.changed {
  font-weight: 700;
  color: var(--accent);
}
.clash {
  padding: 8px 12px;
  border: 1px solid rgb(var(--v-theme-warning));
  border-radius: 6px;
  margin-bottom: 10px;
}
.clash button {
  margin-left: 12px;
  color: var(--accent);
  font-weight: 600;
}
</style>
