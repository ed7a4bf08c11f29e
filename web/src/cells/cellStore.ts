import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, api, type Cell, type Edit, type Item } from '../api/client'

/** The open cell as the server has it. */
export const useCell = defineStore('cell', () => {
  const cell = shallowRef<Cell>()
  const loading = ref(false)
  const error = ref('')
  const saving = ref(false)
  const notice = ref('')

  const items = computed(() => new Map(cell.value?.document.items.map((i) => [i.id, i]) ?? []))
  const children = computed(() => {
    const map = new Map<string | null, Item[]>()
    for (const item of cell.value?.document.items ?? []) {
      const key = item.parent ?? null
      map.set(key, [...(map.get(key) ?? []), item])
    }
    return map
  })

  /** An item with all that hangs on it. */
  function family(id: string): string[] {
    return [id, ...(children.value.get(id) ?? []).flatMap((c) => family(c.id))]
  }

  async function open(id: string) {
    loading.value = true
    error.value = ''
    try {
      cell.value = await answer(api.GET('/api/cells/{id}', { params: { path: { id } } }))
      localStorage.setItem('selvik.last-cell', id)
    } catch (e) {
      error.value = (e as Error).message
    } finally {
      loading.value = false
    }
  }

  async function refresh() {
    const id = cell.value?.id
    if (id) cell.value = await answer(api.GET('/api/cells/{id}', { params: { path: { id } } })).catch(() => cell.value)
  }

  async function change(request: () => Promise<Cell>) {
    saving.value = true
    try {
      cell.value = await request()
      return true
    } catch (e) {
      notice.value = (e as Error).message
      await refresh()
      return false
    } finally {
      saving.value = false
    }
  }

  function edit(edit: Edit) {
    const { id, revision } = cell.value!
    const body = { base_revision: revision, edit }
    return change(() => answer(api.POST('/api/cells/{id}/edits', { params: { path: { id } }, body })))
  }
  const path = () => ({ params: { path: { id: cell.value!.id } } })
  const undo = () => change(() => answer(api.POST('/api/cells/{id}/undo', path())))
  const redo = () => change(() => answer(api.POST('/api/cells/{id}/redo', path())))

  return { cell, loading, error, saving, notice, items, children, family, open, refresh, edit, undo, redo }
})
