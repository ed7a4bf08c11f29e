<script setup lang="ts">
import { ref } from 'vue'

import type { Action } from './action'
import HandSettings from '../settings/HandSettings.vue'
import KeySettings from './KeySettings.vue'
import LookingSettings from '../settings/LookingSettings.vue'
import { useSettings } from '../settings/settingsStore'

defineProps<{ actions: Action[] }>()
const settings = useSettings()
const tabs = { looking: 'Looking', hand: 'Hand', keys: 'Keys' }
const tab = ref<keyof typeof tabs>('looking')
const said = ref('')
/** What served this page. */
const version = document.querySelector<HTMLMetaElement>('meta[name=version]')?.content

function save() {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([settings.exported()], { type: 'application/json' }))
  link.download = 'selvik-settings.json'
  link.click()
  said.value = 'Exported as selvik-settings.json.'
}
async function load(e: Event) {
  const input = e.target as HTMLInputElement
  const text = await input.files?.[0]?.text()
  input.value = ''
  if (text === undefined) return
  try {
    settings.imported(text)
    said.value = 'Imported.'
  } catch (error) {
    said.value = (error as Error).message
  }
}
function standard() {
  settings.standard()
  said.value = 'All settings are back to standard.'
}
</script>

<template>
  <v-dialog
    :model-value="settings.open === 'settings'"
    max-width="720"
    aria-label="Settings"
    @update:model-value="settings.open = null"
  >
    <div class="settings" data-test="settings-dialog">
      <div class="tabs" role="tablist">
        <button
          v-for="(name, id) in tabs"
          :key="id"
          role="tab"
          :aria-selected="tab === id"
          :class="{ on: tab === id }"
          :data-test="`tab-${id}`"
          @click="tab = id"
        >
          {{ name }}
        </button>
      </div>
      <div class="body">
        <LookingSettings v-if="tab === 'looking'" /><HandSettings
          v-else-if="tab === 'hand'"
        /><KeySettings v-else :actions="actions" />
      </div>
      <div class="foot">
        <button class="text" data-test="settings-standard" @click="standard">
          Back to standard
        </button>
        <button class="text" data-test="settings-export" @click="save">Export…</button>
        <label class="text"
          >Import…<input type="file" accept=".json" data-test="settings-import" @change="load"
        /></label>
        <span class="soft said" role="status" data-test="settings-said">{{
          said || `Selvik ${version}`
        }}</span>
        <v-btn color="primary" data-test="settings-close" @click="settings.open = null"
          >Close</v-btn
        >
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.settings {
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 10px;
  display: flex;
  flex-direction: column;
  max-height: 84vh;
}
.tabs {
  display: flex;
  gap: 4px;
  padding: 12px 20px 0;
  border-bottom: 1px solid var(--line);
}
.tabs button {
  padding: 6px 14px 8px;
  border-bottom: 3px solid transparent;
}
.tabs .on {
  border-color: var(--accent);
  font-weight: 700;
}
.body {
  padding: 16px 24px;
  overflow: auto;
  min-height: 380px;
}
.foot {
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 10px 20px;
  border-top: 1px solid var(--line);
}
.said {
  flex: 1;
}
.text {
  color: var(--accent);
  font-weight: 600;
  cursor: pointer;
}
.text input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.text:focus-within {
  outline: 2px solid var(--accent);
}
</style>
