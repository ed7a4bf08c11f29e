<script setup lang="ts">
import { mdiThemeLightDark } from '@mdi/js'
import { useEventListener, useStorage } from '@vueuse/core'
import { computed, defineAsyncComponent, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, type Schemas } from '../api/client'
import { useSettings } from '../settings/settingsStore'
import { useCell } from '../cell/cellStore'
import { filesOfDrop } from '../what/droppedFiles'
import { useImport } from '../what/importStore'
import { useNaming } from '../cell/namingStore'
import { useNotices } from '../cell/noticesStore'
import BringIn from './BringIn.vue'
import CellRow from './CellRow.vue'
import IconButton from './IconButton.vue'

// Not needed to see the list.
const DeleteDialog = defineAsyncComponent(() => import('./DeleteDialog.vue'))
const ImportDialog = defineAsyncComponent(() => import('../what/ImportDialog.vue'))
const NameDialog = defineAsyncComponent(() => import('../workspace/NameDialog.vue'))

type Line = Schemas['CellLine']
const router = useRouter()
const settings = useSettings()
const bringing = useImport()
const naming = useNaming()
const notices = useNotices()
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

const open = (id: string) => router.push({ name: 'cell', params: { id } })

async function load() {
  notices.clear()
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
const nothing = computed(() => {
  if (words.value) return 'No cell is called that.'
  return inBin.value ? 'The bin is empty.' : 'All cells lie in the bin.'
})
const known = computed(() => shown.value.find((c) => c.id === lastCell) ?? shown.value[0])

const name = (title: string, name: string, done: (name: string) => unknown) =>
  (naming.asked = { title, name, done })
const newCell = () =>
  name('Name of the new cell', `Cell ${(cells.value?.length ?? 0) + 1}`, (n) =>
    doing(async () => open((await answer(api.POST('/api/cells/new', { body: { name: n } }))).id)),
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
useEventListener('keydown', (e: KeyboardEvent) => {
  // Not the Enter that has just answered a dialog, which is gone by now.
  if (e.key === 'Enter' && e.target === document.body && known.value && !inBin.value)
    open(known.value.id)
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
      <IconButton :path="mdiThemeLightDark" name="Light or dark" @click="settings.toggleDark()" />
    </header>
    <p v-if="error || notices.said" class="error" role="alert">
      {{ error || notices.said }}
      <button class="link" @click="load">{{ cells ? 'Dismiss' : 'Try again' }}</button>
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
        <button v-if="!inBin" class="link" data-test="new-cell" @click="newCell">New cell</button>
      </div>
      <CellRow
        v-for="cell in shown"
        :key="cell.id"
        :cell="cell"
        :in-bin="inBin"
        :first="cell.id === known?.id && !inBin"
        @open="open(cell.id)"
        @rename="rename(cell)"
        @duplicate="duplicate(cell)"
        @bin="bin(cell)"
        @restore="restore(cell)"
        @remove="doomed = cell"
      />
      <p v-if="!shown.length" class="soft empty">
        {{ nothing }}
      </p>
    </section>
    <p v-else-if="cells" class="soft empty">
      There are no cells yet. Bring one in below, or
      <button class="link" data-test="new-cell" @click="newCell">begin a new one</button>.
    </p>
    <p v-else-if="!error" class="soft empty">Loading…</p>
    <BringIn />
    <DeleteDialog v-if="doomed" :name="doomed.name" @keep="doomed = null" @remove="remove" />
    <ImportDialog v-if="bringing.open" @stored="open" />
    <NameDialog v-if="naming.asked" />
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
.over :deep(.drop) {
  border-color: var(--accent);
  background: var(--accent-tint);
}
.error {
  color: rgb(var(--v-theme-error));
  margin-bottom: 20px;
}
.list section {
  margin-bottom: 28px;
}
.empty {
  padding: 20px 0;
}
</style>
