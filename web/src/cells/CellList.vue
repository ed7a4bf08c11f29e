<script setup lang="ts">
import { mdiDeleteOutline, mdiDownload, mdiThemeLightDark } from '@mdi/js'
import { useEventListener } from '@vueuse/core'
import { onMounted, ref } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useSettings } from '../settings/settingsStore'
import { filesOfDrop } from './droppedFiles'

const emit = defineEmits<{ open: [id: string] }>()
const settings = useSettings()
const cells = ref<Schemas['CellLine'][]>()
const error = ref('')
const importing = ref('')
const over = ref(false)
const doomed = ref<Schemas['CellLine'] | null>(null)
const lastCell = localStorage.getItem('selvik.last-cell')

async function load() {
  try {
    cells.value = await answer(api.GET('/api/cells'))
    error.value = ''
  } catch (e) {
    error.value = (e as Error).message
  }
}
onMounted(load)

async function bring(files: { path: string; file: File }[]) {
  if (!files.length) return
  importing.value = files.length === 1 ? files[0]!.path : `${files.length} files`
  const form = new FormData()
  files.forEach(({ path, file }) => form.append('file', file, path))
  try {
    const response = await fetch('/api/cells', { method: 'POST', body: form })
    const said = (await response.json()) as { id?: string; detail?: string }
    if (!said.id) throw new Error(said.detail ?? `The server answered ${response.status}.`)
    emit('open', said.id)
  } catch (e) {
    error.value = `Nothing was imported. ${(e as Error).message}`
  } finally {
    importing.value = ''
  }
}
async function drop(e: DragEvent) {
  over.value = false
  await bring(await filesOfDrop(e.dataTransfer!))
}
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  void bring([...(input.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file })))
  input.value = ''
}
async function remove() {
  await api.DELETE('/api/cells/{id}', { params: { path: { id: doomed.value!.id } } })
  doomed.value = null
  await load()
}
const when = (time: string | null | undefined) => (time ? new Date(time).toLocaleString() : 'not yet')
useEventListener('keydown', (e: KeyboardEvent) => {
  const known = cells.value?.find((c) => c.id === lastCell) ?? cells.value?.[0]
  if (e.key === 'Enter' && document.activeElement === document.body && known) emit('open', known.id)
})
</script>

<template>
  <main class="list" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="drop">
    <header>
      <h1>Selvik</h1>
      <v-btn :icon="mdiThemeLightDark" aria-label="Light or dark" @click="settings.toggleDark()" />
    </header>
    <p v-if="error" class="error" role="alert">{{ error }} <v-btn color="primary" @click="load">{{ cells ? 'Dismiss' : 'Try again' }}</v-btn></p>
    <section v-if="cells?.length" aria-label="Cells">
      <h2 class="heading">Cells</h2>
      <div v-for="cell in cells" :key="cell.id" class="row">
        <button class="open" data-test="cell" @click="emit('open', cell.id)">
          <b>{{ cell.name }}</b>
          <span class="soft">opened {{ when(cell.opened_at) }} · revision <span class="number">{{ cell.revision }}</span></span>
        </button>
        <kbd v-if="cell.id === lastCell" class="soft">Enter</kbd>
        <v-btn :icon="mdiDownload" :href="`/api/cells/${cell.id}/package`" :aria-label="`Export ${cell.name} as a package`" title="Export as a package" />
        <v-btn :icon="mdiDeleteOutline" :aria-label="`Delete ${cell.name}`" title="Delete" @click="doomed = cell" />
      </div>
    </section>
    <p v-else-if="cells" class="soft empty">There are no cells yet. Bring one in below.</p>
    <p v-else-if="!error" class="soft empty">Loading…</p>
    <section class="drop">
      <p v-if="importing">Importing {{ importing }}…</p>
      <template v-else>
        <p>Drop a cell package here: a zip, or a folder with <code>cell.json</code>.</p>
        <label class="choose">Choose a zip<input type="file" accept=".zip" data-test="import" @change="chosen" /></label>
        <label class="choose">Choose a folder<input type="file" webkitdirectory @change="chosen" /></label>
      </template>
    </section>
    <v-dialog :model-value="!!doomed" max-width="420" @update:model-value="doomed = null">
      <v-card title="Delete this cell?" :text="`“${doomed?.name}” goes with its views, findings and history. This can't be undone; export it first if in doubt.`">
        <v-card-actions>
          <v-spacer /><v-btn @click="doomed = null">Keep it</v-btn><v-btn color="error" @click="remove">Delete</v-btn>
        </v-card-actions>
      </v-card>
    </v-dialog>
  </main>
</template>

<style scoped>
.list { max-width: 760px; width: 100%; height: 100vh; margin: 0 auto; padding: 56px 32px; overflow: auto; }
header { display: flex; align-items: center; justify-content: space-between; margin-bottom: 32px; }
h1 { font-size: 30px; letter-spacing: 0.01em; color: var(--accent); }
h2 { margin-bottom: 8px; }
.row { display: flex; align-items: center; border-top: 1px solid var(--line); }
.row:last-child { border-bottom: 1px solid var(--line); }
.open { flex: 1; display: grid; gap: 2px; text-align: left; padding: 14px 8px; }
.open:hover { background: var(--accent-tint); }
.open b { font-size: 16px; }
.drop { margin-top: 40px; padding: 36px; text-align: center; border: 1.5px dashed var(--line); border-radius: 10px; }
.over .drop { border-color: var(--accent); background: var(--accent-tint); }
.list section { margin-bottom: 28px; }
.choose { display: inline-block; margin: 14px 6px 0; padding: 6px 14px; border: 1px solid var(--line); border-radius: 6px; cursor: pointer; color: var(--accent); font-weight: 600; }
.choose:focus-within { outline: 2px solid var(--accent); }
.choose input { position: absolute; width: 1px; height: 1px; opacity: 0; }
.error { color: rgb(var(--v-theme-error)); margin-bottom: 20px; }
.empty { padding: 20px 0; }
</style>
