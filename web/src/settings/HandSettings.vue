<script setup lang="ts">
import { computed, ref } from 'vue'

import { gestureOf, type Movement, movementNames, schemes } from './gestures'
import { useSettings } from './settingsStore'

const settings = useSettings()
const movements = Object.keys(movementNames) as Movement[]
const gesturesOf = (m: Movement) =>
  Object.keys(settings.gestures).filter((g) => settings.gestures[g] === m)
const scheme = computed(
  () =>
    schemes.find(
      (s) =>
        JSON.stringify(Object.entries(s.gestures).sort()) ===
        JSON.stringify(Object.entries(settings.gestures).sort()),
    )?.id ?? '',
)
function choose(id: string) {
  const chosen = schemes.find((s) => s.id === id)
  if (chosen) settings.gestures = { ...chosen.gestures }
}
const listening = ref<Movement | null>(null)
const clash = ref<{ gesture: string; wanted: Movement; has: Movement } | null>(null)
function caught(e: PointerEvent) {
  const wanted = listening.value
  if (!wanted) return
  e.preventDefault()
  listening.value = null
  const gesture = gestureOf(e)
  const has = settings.gestures[gesture]
  if (has === wanted) return
  if (has) clash.value = { gesture, wanted, has }
  else settings.gestures = { ...settings.gestures, [gesture]: wanted }
}
/** The two movements exchange: what the other had, this one's first gesture does now. */
function swap() {
  const { gesture, wanted, has } = clash.value!
  const given = gesturesOf(wanted)[0]
  settings.gestures = {
    ...settings.gestures,
    [gesture]: wanted,
    ...(given ? { [given]: has } : {}),
  }
  clash.value = null
}
function free(gesture: string) {
  settings.gestures = Object.fromEntries(
    Object.entries(settings.gestures).filter(([g]) => g !== gesture),
  )
}
</script>

<template>
  <label class="scheme"
    >The hand
    <select
      :value="scheme"
      data-test="scheme"
      @change="choose(($event.target as HTMLSelectElement).value)"
    >
      <option v-for="s in schemes" :key="s.id" :value="s.id">{{ s.name }}</option>
      <option v-if="!scheme" value="">set by myself</option>
    </select></label
  >
  <p v-if="clash" class="clash" role="alert" data-test="clash">
    <kbd>{{ clash.gesture }}</kbd> is in use for “{{ movementNames[clash.has] }}”.
    <button data-test="clash-swap" @click="swap">Swap the two</button
    ><button data-test="clash-refuse" @click="clash = null">Leave it as it was</button>
  </p>
  <table>
    <tbody>
      <tr v-for="m in movements" :key="m">
        <td>{{ movementNames[m] }}</td>
        <td>
          <span v-for="g in gesturesOf(m)" :key="g" class="gesture"
            ><kbd>{{ g }}</kbd
            ><button :aria-label="`Free ${g}`" title="Take this gesture away" @click="free(g)">
              ×
            </button></span
          >
        </td>
        <td>
          <button
            class="add"
            :class="{ on: listening === m }"
            :data-test="`add-${m}`"
            @click="listening = listening === m ? null : m"
          >
            Add…
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <div
    class="pad"
    :class="{ on: listening }"
    data-test="gesture-pad"
    @pointerdown="caught"
    @contextmenu.prevent
  >
    {{
      listening
        ? `Press the button here, with the modifiers you want, for “${movementNames[listening]}”`
        : 'Choose “Add…”, then press a mouse button here'
    }}
  </div>
  <p class="soft">
    Changing the hand changes no key. While <kbd>V</kbd> is held the plain left button navigates.
  </p>
</template>

<style scoped>
.scheme {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 12px;
}
select {
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 2px 6px;
  background: inherit;
  color: inherit;
  appearance: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 3px 6px;
  border-bottom: 1px solid var(--line);
}
td:first-child {
  width: 210px;
}
td:last-child {
  text-align: right;
}
.gesture {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  margin-right: 8px;
}
.gesture kbd {
  margin: 0;
  padding: 0 4px;
  border: 1px solid var(--line);
  border-radius: 3px;
}
.add {
  color: var(--accent);
  font-weight: 600;
  padding: 0 6px;
}
.add.on {
  background: var(--accent-tint);
}
.pad {
  margin: 12px 0;
  padding: 18px;
  text-align: center;
  border: 1.5px dashed var(--line);
  border-radius: 8px;
  color: var(--soft);
  user-select: none;
}
.pad.on {
  border-color: var(--accent);
  color: inherit;
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
