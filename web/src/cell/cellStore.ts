import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, api, type Cell, type Edit, type Item, type Refused } from '../api/client'
import { useNotices } from './noticesStore'

/** The open cell as the server has it. */
export const useCell = defineStore('cell', () => {
  const cell = shallowRef<Cell>()
  const loading = ref(false)
  const error = ref('')
  const saving = ref(false)
  const notices = useNotices()

  const items = computed(() => new Map(cell.value?.document.items.map((i) => [i.id, i]) ?? []))
  const children = computed(() => {
    const map = new Map<string | null, Item[]>()
    for (const item of cell.value?.document.items ?? []) {
      const key = item.parent ?? null
      const siblings = map.get(key)
      if (siblings) siblings.push(item)
      else map.set(key, [item])
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
    const now =
      id &&
      (await answer(api.GET('/api/cells/{id}', { params: { path: { id } } })).catch(
        () => undefined,
      ))
    if (now) take(now)
  }

  /** A change that someone else came before: told, and done again only when asked. */
  const clash = ref<{ said: string; again: () => unknown } | null>(null)

  /** Changes go one after the other: each is made looking at what the one before left. */
  let before: Promise<unknown> = Promise.resolve()
  function change(request: () => Promise<Cell>): Promise<boolean> {
    const mine = before.then(() => changeNow(request))
    before = mine
    return mine
  }
  async function changeNow(request: () => Promise<Cell>) {
    saving.value = true
    try {
      take(await request())
      return true
    } catch (e) {
      const { message, status } = e as Refused
      if (status === 409) clash.value = { said: message, again: () => change(request) }
      else notices.say(message)
      await refresh()
      return false
    } finally {
      saving.value = false
    }
  }
  /**
   * Takes the cell as it is now; what has not changed stays the same object, and is not drawn anew.
   */
  function take(now: Cell) {
    const old = cell.value
    if (old?.id === now.id) {
      for (const key of [
        'bodies',
        'item_nodes',
        'poses',
        'frames',
        'moving_nodes',
        'path',
      ] as const) {
        if (JSON.stringify(old[key]) === JSON.stringify(now[key]))
          Object.assign(now, { [key]: old[key] })
      }
    }
    cell.value = now
  }

  function edit(edit: Edit) {
    return change(() => {
      const { id, revision } = cell.value!
      return answer(
        api.POST('/api/cells/{id}/edits', {
          params: { path: { id } },
          body: { base_revision: revision, edit },
        }),
      )
    })
  }
  const path = () => ({ path: { id: cell.value!.id } })
  /** Takes back the step that is shown as the last one, and no other. */
  async function undo() {
    if (!cell.value?.undo) return false
    return change(() =>
      answer(
        api.POST('/api/cells/{id}/undo', {
          params: path(),
          body: { step: cell.value!.undo?.step ?? 0 },
        }),
      ),
    )
  }
  async function redo() {
    if (!cell.value?.redo) return false
    return change(() =>
      answer(
        api.POST('/api/cells/{id}/redo', {
          params: path(),
          body: { step: cell.value!.redo?.step ?? 0 },
        }),
      ),
    )
  }

  return {
    cell,
    loading,
    error,
    saving,
    clash,
    change,
    items,
    children,
    family,
    open,
    refresh,
    edit,
    undo,
    redo,
  }
})
