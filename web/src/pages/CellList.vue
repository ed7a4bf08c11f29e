<script setup lang="ts">
import {
  mdiContentCopy,
  mdiDeleteOutline,
  mdiDotsVertical,
  mdiDownload,
  mdiPencilOutline,
  mdiRestore,
  mdiThemeLightDark,
} from '@mdi/js'
import { useEventListener, useStorage } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useSettings } from '../settings/settingsStore'
import VerdictMark from '../findings/VerdictMark.vue'
import { verdictWord } from '../findings/verdicts'
import { useCell } from '../cell/cellStore'
import { filesOfDrop } from '../what/droppedFiles'
import ImportDialog from '../what/ImportDialog.vue'
import { useImport } from '../what/importStore'
import NameDialog from '../workspace/NameDialog.vue'
import { useNaming } from '../cell/namingStore'

type Line = Schemas['CellLine']
const emit = defineEmits<{ open: [id: string] }>()
const settings = useSettings()
const bringing = useImport()
const naming = useNaming()
const cells = ref<Line[]>()
const error = ref('')
const over = ref(false)
const doomed = ref<Line | null>(null)
const words = ref('')
const lastCell = localStorage.getItem('selvik.last-cell')
const order = useStorage<'opened' | 'changed' | 'name' | 'size'>('selvik.cell-order', 'opened')
const orders = { opened: 'last opened', changed: 'last changed', name: 'name', size: 'size' }
const inBin = ref(false)

// No cell is open here: what is brought in becomes one.
useCell().cell = undefined

async function load() {
  try {
    cells.value = await answer(api.GET('/api/cells'))
    error.value = ''
  } catch (e) {
    error.value = (e as Error).message
  }
}
onMounted(load)
async function doing(work: () => Promise<unknown>) {
  try {
    await work()
    await load()
  } catch (e) {
    error.value = (e as Error).message
  }
}

const binned = computed(() => cells.value?.filter((c) => c.binned_at) ?? [])
const shown = computed(() => {
  const asked = words.value.toLowerCase().split(/\s+/).filter(Boolean)
  const list = (
    inBin.value ? binned.value : (cells.value ?? []).filter((c) => !c.binned_at)
  ).filter((c) => asked.every((w) => c.name.toLowerCase().includes(w)))
  const by: Record<keyof typeof orders, (a: Line, b: Line) => number> = {
    opened: (a, b) => (b.opened_at ?? '').localeCompare(a.opened_at ?? ''),
    changed: (a, b) => b.changed_at.localeCompare(a.changed_at),
    name: (a, b) => a.name.localeCompare(b.name),
    size: (a, b) => b.bytes - a.bytes,
  }
  return [...list].sort(by[order.value])
})
const known = computed(() => shown.value.find((c) => c.id === lastCell) ?? shown.value[0])

const name = (title: string, name: string, done: (name: string) => unknown) =>
  (naming.asked = { title, name, done })
const newCell = () =>
  name('Name of the new cell', `Cell ${(cells.value?.length ?? 0) + 1}`, (n) =>
    doing(async () =>
      emit('open', (await answer(api.POST('/api/cells/new', { body: { name: n } }))).id),
    ),
  )
const path = (id: string) => ({ params: { path: { id } } })
const rename = (c: Line) =>
  name('Rename', c.name, (n) =>
    doing(() =>
      answer(
        api.POST('/api/cells/{id}/edits', {
          ...path(c.id),
          body: { base_revision: c.revision, edit: { edit: 'rename_cell', name: n } },
        }),
      ),
    ),
  )
const duplicate = (c: Line) =>
  name('Name of the copy', `${c.name}, copy`, (n) =>
    doing(() =>
      answer(api.POST('/api/cells/{id}/duplicate', { ...path(c.id), body: { name: n } })),
    ),
  )
const bin = (c: Line) => doing(() => api.DELETE('/api/cells/{id}', path(c.id)))
const restore = (c: Line) => doing(() => api.POST('/api/cells/{id}/restore', path(c.id)))
function remove() {
  const { id } = doomed.value!
  doomed.value = null
  return doing(() =>
    api.DELETE('/api/cells/{id}', { params: { path: { id }, query: { for_good: true } } }),
  )
}

async function drop(e: DragEvent) {
  over.value = false
  await bringing.bring(await filesOfDrop(e.dataTransfer!))
}
function chosen(e: Event) {
  const input = e.target as HTMLInputElement
  void bringing.bring(
    [...(input.files ?? [])].map((file) => ({ path: file.webkitRelativePath || file.name, file })),
  )
  input.value = ''
}
const when = (time: string | null | undefined) =>
  time ? new Date(time).toLocaleString() : 'not yet'
const size = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`
const counts = (s: Schemas['SweptLine']): Record<string, number> => ({
  broken: s.broken,
  not_certified: s.not_certified,
  tight: s.tight,
})
const rules = (s: Schemas['SweptLine']) => {
  const count = counts(s)[s.verdict]
  return count ? `${count} ${verdictWord(s.verdict)}` : verdictWord(s.verdict)
}
useEventListener('keydown', (e: KeyboardEvent) => {
  // Not the Enter that has just answered a dialog, which is gone by now.
  if (e.key === 'Enter' && e.target === document.body && known.value && !inBin.value)
    emit('open', known.value.id)
})
</script>

<template>
  <main
    class="list"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="drop"
  >
    <header>
      <h1>Selvik</h1>
      <v-btn
        :icon="mdiThemeLightDark"
        aria-label="Light or dark"
        title="Light or dark"
        @click="settings.toggleDark()"
      />
    </header>
    <p v-if="error" class="error" role="alert">
      {{ error }} <v-btn color="primary" @click="load">{{ cells ? 'Dismiss' : 'Try again' }}</v-btn>
    </p>
    <section v-if="cells?.length" aria-label="Cells">
      <div class="tools">
        <h2 class="heading">{{ inBin ? 'Bin' : 'Cells' }}</h2>
        <input
          v-model="words"
          class="search"
          placeholder="Search"
          aria-label="Search cells"
          data-test="cell-search"
        />
        <label class="soft"
          >by
          <select v-model="order" aria-label="Order" data-test="cell-order">
            <option v-for="(text, id) in orders" :key="id" :value="id">{{ text }}</option>
          </select></label
        >
        <span class="grow" />
        <button v-if="binned.length || inBin" class="link" data-test="bin" @click="inBin = !inBin">
          {{ inBin ? 'Back to the cells' : `Bin (${binned.length})` }}
        </button>
        <v-btn v-if="!inBin" color="primary" data-test="new-cell" @click="newCell">New cell</v-btn>
      </div>
      <div v-for="cell in shown" :key="cell.id" class="row" data-test="cell-row">
        <button class="open" :disabled="inBin" data-test="cell" @click="emit('open', cell.id)">
          <img
            v-if="cell.has_thumbnail"
            :src="`/api/cells/${cell.id}/thumbnail`"
            alt=""
            class="thumb"
          /><span v-else class="thumb" />
          <span class="text"
            ><b>{{ cell.name }}</b>
            <span class="soft"
              ><template v-if="inBin">in the bin since {{ when(cell.binned_at) }}</template
              ><template v-else>{{
                cell.opened_at ? `opened ${when(cell.opened_at)}` : 'not opened yet'
              }}</template>
              · <span class="number">{{ cell.items }}</span>
              {{ cell.items === 1 ? 'item' : 'items' }} ·
              <span class="number">{{ size(cell.bytes) }}</span></span
            >
          </span>
          <span
            v-if="cell.swept"
            class="swept"
            :title="
              cell.swept.changed_since
                ? 'At the last sweep; the cell was changed since'
                : 'At the last sweep'
            "
            ><VerdictMark :verdict="cell.swept.verdict" />{{ rules(cell.swept)
            }}<span v-if="cell.swept.changed_since" class="soft">, changed since</span></span
          >
        </button>
        <kbd v-if="cell.id === known?.id && !inBin" class="soft" title="Opens this cell">Enter</kbd>
        <template v-if="inBin">
          <v-btn
            :icon="mdiRestore"
            :aria-label="`Bring ${cell.name} back`"
            title="Bring back"
            data-test="restore"
            @click="restore(cell)"
          />
          <v-btn
            :icon="mdiDeleteOutline"
            :aria-label="`Delete ${cell.name} for good`"
            title="Delete for good"
            @click="doomed = cell"
          />
        </template>
        <v-menu v-else>
          <template #activator="{ props: more }"
            ><v-btn
              v-bind="more"
              :icon="mdiDotsVertical"
              :aria-label="`What can be done with ${cell.name}`"
              title="More"
              data-test="cell-more"
          /></template>
          <v-list>
            <v-list-item
              title="Rename"
              :prepend-icon="mdiPencilOutline"
              data-test="cell-rename"
              @click="rename(cell)"
            />
            <v-list-item
              title="Duplicate"
              :prepend-icon="mdiContentCopy"
              data-test="cell-duplicate"
              @click="duplicate(cell)"
            />
            <v-list-item
              title="Export as a package"
              :prepend-icon="mdiDownload"
              :href="`/api/cells/${cell.id}/package`"
            />
            <v-list-item
              title="Into the bin"
              :prepend-icon="mdiDeleteOutline"
              data-test="cell-bin"
              @click="bin(cell)"
            />
          </v-list>
        </v-menu>
      </div>
      <p v-if="!shown.length" class="soft empty">
        {{
          words
            ? 'No cell is called that.'
            : inBin
              ? 'The bin is empty.'
              : 'All cells lie in the bin.'
        }}
      </p>
    </section>
    <p v-else-if="cells" class="soft empty">
      There are no cells yet. Bring one in below, or
      <button class="link" data-test="new-cell" @click="newCell">begin a new one</button>.
    </p>
    <p v-else-if="!error" class="soft empty">Loading…</p>
    <section class="drop">
      <p>Drop a cell package, robots or meshes here: files, a folder or a zip.</p>
      <p class="soft small">cell.json · URDF, SRDF · STL, OBJ, PLY, COLLADA, glTF</p>
      <label class="choose"
        >Choose files<input type="file" multiple data-test="import" @change="chosen"
      /></label>
      <label class="choose"
        >Choose a folder<input type="file" webkitdirectory @change="chosen"
      /></label>
    </section>
    <v-dialog :model-value="!!doomed" max-width="420" @update:model-value="doomed = null">
      <v-card
        title="Delete this cell for good?"
        :text="`“${doomed?.name}” goes with its views, findings and history. This can't be undone.`"
      >
        <v-card-actions>
          <v-spacer /><v-btn @click="doomed = null">Keep it</v-btn
          ><v-btn color="error" data-test="delete-for-good" @click="remove">Delete</v-btn>
        </v-card-actions>
      </v-card>
    </v-dialog>
    <ImportDialog @stored="(id) => emit('open', id)" />
    <NameDialog />
  </main>
</template>

<style scoped>
.list {
  max-width: 860px;
  width: 100%;
  height: 100vh;
  margin: 0 auto;
  padding: 44px 32px;
  overflow: auto;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 24px;
}
h1 {
  font-size: 30px;
  letter-spacing: 0.01em;
  color: var(--accent);
}
.tools {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-bottom: 10px;
}
.search {
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 3px 8px;
  width: 170px;
}
select {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1px 4px;
  appearance: auto;
  background: inherit;
  color: inherit;
}
.grow {
  flex: 1;
}
.link {
  color: var(--accent);
  font-weight: 600;
}
.row {
  display: flex;
  align-items: center;
  gap: 4px;
  border-top: 1px solid var(--line);
}
.row:last-of-type {
  border-bottom: 1px solid var(--line);
}
.open {
  flex: 1;
  min-width: 0;
  display: flex;
  gap: 14px;
  align-items: center;
  text-align: left;
  padding: 9px 8px;
}
.open:hover {
  background: var(--accent-tint);
}
.open:disabled {
  background: none;
  color: inherit;
}
.thumb {
  width: 96px;
  height: 60px;
  flex: none;
  object-fit: cover;
  border: 1px solid var(--line);
  border-radius: 5px;
  background: var(--card);
}
.text {
  flex: 1;
  min-width: 0;
  display: grid;
  gap: 2px;
}
.open b {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.swept {
  display: flex;
  gap: 5px;
  align-items: center;
  font-weight: 600;
}
.drop {
  margin-top: 32px;
  padding: 30px;
  text-align: center;
  border: 1.5px dashed var(--line);
  border-radius: 10px;
}
.small {
  font-size: 12px;
}
.over .drop {
  border-color: var(--accent);
  background: var(--accent-tint);
}
.list section {
  margin-bottom: 28px;
}
.choose {
  display: inline-block;
  margin: 14px 6px 0;
  padding: 6px 14px;
  border: 1px solid var(--line);
  border-radius: 6px;
  cursor: pointer;
  color: var(--accent);
  font-weight: 600;
}
.choose:focus-within {
  outline: 2px solid var(--accent);
}
.choose input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.error {
  color: rgb(var(--v-theme-error));
  margin-bottom: 20px;
}
.empty {
  padding: 20px 0;
}
</style>
