import { computed, type Ref } from 'vue'

import type { Item } from '../api/client'
import { bindingOf, useBindings } from '../settings/bindings'
import type { Row } from './useRows'
import { useWhat } from './whatStore'

const TYPING_MS = 900

/** Goes through the roster by keys; a name typed goes to the next item that begins with it. */
export function useRosterKeys(
  rows: Ref<Row[]>,
  closed: Ref<Set<string>>,
  does: { toggleBranch: (id: string) => void; fit: () => void; rename: (item: Item) => void },
) {
  const what = useWhat()
  let typedSoFar = ''
  let lastTyped = -Infinity
  /**
   * While one goes through the list by keys, letters go to names; after a click they are shortcuts,
   * if they mean something.
   */
  let byKeys = false
  const keysInForce = computed(() => new Set(useBindings().inForce.values()))
  const stillTyping = () => performance.now() - lastTyped < TYPING_MS
  const isPlain = (e: KeyboardEvent) => !e.ctrlKey && !e.metaKey && !e.altKey
  const isLetter = (e: KeyboardEvent) => e.key.length === 1 && /\S/.test(e.key) && isPlain(e)
  const isTyping = (e: KeyboardEvent) =>
    isLetter(e) && (byKeys || !keysInForce.value.has(bindingOf(e)))

  const select = (index: number) => {
    const row = rows.value[index]
    if (row) what.select(row.item.id)
  }

  function typeAhead(letter: string, at: number) {
    typedSoFar = (stillTyping() ? typedSoFar : '') + letter.toLowerCase()
    lastTyped = performance.now()
    const from = typedSoFar.length > 1 ? at : at + 1
    const names = rows.value.map((r) => r.item.name.toLowerCase())
    const found = names.findIndex((n, i) => i >= from && n.startsWith(typedSoFar))
    select(found >= 0 ? found : names.findIndex((n) => n.startsWith(typedSoFar)))
  }

  function foldUp({ item, branch }: Row) {
    if (branch && !closed.value.has(item.id)) does.toggleBranch(item.id)
    else if (item.parent) what.select(item.parent)
  }
  function unfold({ item, branch }: Row) {
    if (!branch || !closed.value.has(item.id)) return false
    does.toggleBranch(item.id)
  }

  /** What the keys do that need no row, and those that do: false where they mean nothing. */
  const last = () => rows.value.length - 1
  const anywhere: Record<string, (at: number) => void> = {
    ArrowDown: (at) => select(Math.min(last(), at + 1)),
    ArrowUp: (at) => select(Math.max(0, at - 1)),
    Home: () => select(0),
    End: () => select(last()),
  }
  const onRow: Record<string, (row: Row) => unknown> = {
    ArrowLeft: foldUp,
    ArrowRight: unfold,
    Enter: does.fit,
    F2: ({ item }) => does.rename(item),
    ' ': ({ item }) => what.toggle(item.id),
  }

  /** Whether it meant something here. */
  function takes(e: KeyboardEvent): boolean {
    const at = rows.value.findIndex((r) => r.item.id === [...what.selected].at(-1))
    const row = rows.value[at]
    if (e.key.startsWith('Arrow') || e.key === 'Home' || e.key === 'End') byKeys = true
    if (anywhere[e.key]) anywhere[e.key]!(at)
    else if (e.key === ' ' && stillTyping()) typeAhead(e.key, at)
    else if (row && onRow[e.key]) return onRow[e.key]!(row) !== false
    else if (isTyping(e)) typeAhead(e.key, at)
    else return false
    return true
  }

  function key(e: KeyboardEvent) {
    if (!takes(e)) return
    e.preventDefault()
    e.stopPropagation()
  }
  const clicked = () => (byKeys = false)
  return { key, clicked }
}
