import { computed, ref, watch } from 'vue'

import type { Item } from '../api/client'
import { useCell } from '../cell/cellStore'
import { roles } from './roles'

/** A row of the roster. */
export interface Row {
  item: Item
  depth: number
  branch: boolean
}
/** The element of an item's row. */
export const idOfRow = (item: string) => `row-${item}`
/** A list of more than so many of the same begins closed. */
const LONG = 7

/** The rows of the roster: what is filtered, and what is folded up. */
export function useRows() {
  const cell = useCell()
  const filter = ref('')
  /** Roles that are listed; all where none is ticked. */
  const only = ref(new Set<string>())
  const present = computed(() =>
    roles.filter((r) => [...cell.items.values()].some((i) => i.role === r)),
  )
  function tick(role: string) {
    const next = new Set(only.value)
    if (!next.delete(role)) next.add(role)
    only.value = next
  }
  const closed = ref(new Set<string>())
  const rows = computed<Row[]>(() => {
    const words = filter.value.toLowerCase().split(/\s+/).filter(Boolean)
    const filtered = words.length > 0 || only.value.size > 0
    const fits = (i: Item) =>
      (!only.value.size || only.value.has(i.role)) &&
      words.every((w) => i.name.toLowerCase().includes(w) || i.role.includes(w))
    const found: Row[] = []
    const walk = (parent: string | null, depth: number) => {
      for (const item of cell.children.get(parent) ?? []) {
        const branch = !!cell.children.get(item.id)?.length
        if (filtered) {
          if (fits(item)) found.push({ item, depth: 0, branch: false })
          walk(item.id, depth)
          continue
        }
        found.push({ item, depth, branch })
        if (!closed.value.has(item.id)) walk(item.id, depth + 1)
      }
    }
    walk(null, 0)
    return found
  })

  // A long list of the same begins closed.
  watch(
    () => cell.cell?.id,
    () => {
      const many = [...cell.children].filter(
        ([id, c]) => id && c.length > LONG && !c.some((i) => cell.children.get(i.id)),
      )
      closed.value = new Set(many.map(([id]) => id!))
    },
    { immediate: true },
  )

  function toggleBranch(id: string) {
    const next = new Set(closed.value)
    if (!next.delete(id)) next.add(id)
    closed.value = next
  }

  return { filter, only, present, tick, closed, rows, toggleBranch }
}
