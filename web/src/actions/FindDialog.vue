<script setup lang="ts">
import { mdiPin, mdiPinOutline } from '@mdi/js'
import { computed, nextTick, ref, watch } from 'vue'

import type { Action } from './action'
import { readable } from '../settings/bindings'
import { useCell } from '../cell/cellStore'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import { useSettings } from '../settings/settingsStore'

const props = defineProps<{ actions: Action[] }>()
const settings = useSettings()
const open = computed({
  get: () => settings.open === 'find',
  set: (on) => (settings.open = on ? 'find' : null),
})
const cell = useCell()
const what = useWhat()
const where = useWhere()
const text = ref('')
const at = ref(0)
const field = ref<HTMLInputElement>()

const everything = computed<Action[]>(() => [
  ...props.actions.filter((a) => a.id !== 'find' && a.id !== 'escape'),
  ...[...cell.items.values()].map((i) => ({
    id: `item-${i.id}`,
    name: `Go to ${i.name}`,
    of: 'What' as const,
    run: () => {
      what.select(i.id)
      return where.fitSelection()
    },
  })),
])
const found = computed(() => {
  const typed = text.value.toLowerCase().trim()
  const words = typed.split(/\s+/)
  const fits = everything.value.filter((a) => words.every((w) => a.name.toLowerCase().includes(w)))
  // What begins as it is typed is meant before what merely holds the words.
  const begins = (a: Action) => Number(a.name.toLowerCase().startsWith(typed))
  return fits.sort((a, b) => begins(b) - begins(a)).slice(0, 60)
})
watch(text, () => (at.value = 0))
watch(open, async (now) => {
  if (!now) return
  text.value = ''
  await nextTick()
  setTimeout(() => field.value?.focus(), 30)
})
function run(action?: Action) {
  if (!action || action.enabled?.() === false) return
  open.value = false
  void action.run()
}
function key(e: KeyboardEvent) {
  const by = { ArrowDown: 1, ArrowUp: -1 }[e.key]
  if (by) at.value = Math.min(found.value.length - 1, Math.max(0, at.value + by))
  else if (e.key === 'Enter' && e.shiftKey) pin(found.value[at.value])
  else if (e.key === 'Enter') run(found.value[at.value])
  else return
  e.preventDefault()
}
const canPin = ({ id }: Action) => !id.startsWith('item-')
const isPinned = ({ id }: Action) => settings.pinned.includes(id)
const pinSaid = (action: Action) =>
  `${isPinned(action) ? 'Take it from' : 'Pin it to'} the quick bar (Shift+Enter)`
function pin(action: Action | undefined) {
  if (action && canPin(action)) settings.togglePin(action.id)
}
</script>

<template>
  <v-dialog
    v-model="open"
    max-width="520"
    aria-label="Find"
    location-strategy="static"
    transition="fade-transition"
  >
    <div class="find">
      <input
        ref="field"
        v-model="text"
        placeholder="Find an action, an item, a saved view"
        aria-label="Find"
        data-test="find"
        @keydown="key"
      />
      <ul role="listbox" tabindex="0" aria-label="Found">
        <li
          v-for="(action, i) in found"
          :key="action.id"
          role="option"
          :aria-selected="i === at"
          :aria-disabled="action.enabled?.() === false || undefined"
          :class="{ at: i === at, off: action.enabled?.() === false }"
          @mousemove="at = i"
          @click="run(action)"
        >
          <span class="grow">{{ action.name }}</span><kbd v-if="action.key">{{
            readable(action.key)
          }}</kbd>
          <span
            v-if="canPin(action)"
            class="pin"
            :class="{ pinned: isPinned(action) }"
            :title="pinSaid(action)"
            :data-test="`pin-${action.id}`"
            @click.stop="settings.togglePin(action.id)"
          >
            <v-icon :icon="isPinned(action) ? mdiPin : mdiPinOutline" size="15" />
          </span>
        </li>
        <li v-if="!found.length" class="soft">Nothing is called that.</li>
      </ul>
    </div>
  </v-dialog>
</template>

<style scoped>
.find {
  background: rgb(var(--v-theme-surface));
  border-radius: 10px;
  overflow: hidden;
  border: 1px solid var(--line);
}
input {
  width: 100%;
  padding: 14px 18px;
  font-size: 16px;
  border-bottom: 1px solid var(--line);
  outline: none;
}
ul {
  list-style: none;
  max-height: 380px;
  overflow: auto;
  padding: 6px;
}
li {
  display: flex;
  align-items: center;
  padding: 6px 12px;
  border-radius: 6px;
  cursor: pointer;
}
.at {
  background: var(--accent-tint);
}
.off {
  opacity: 0.45;
}
.grow {
  flex: 1;
}
.pin {
  opacity: 0.35;
  margin-left: 8px;
}
.pin:hover,
.pinned {
  opacity: 1;
  color: var(--accent);
}
</style>
