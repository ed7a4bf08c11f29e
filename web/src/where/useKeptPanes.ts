import { useSessionStorage, watchDebounced } from '@vueuse/core'
import type { Ref } from 'vue'

import { useCell } from '../cell/cellStore'
import { type Layout, layouts, type Pane } from './panes'

interface Kept {
  panes: Pick<Pane, 'viewpoint' | 'style' | 'colours' | 'back' | 'forward'>[]
  active: number
}

/** Keeps over a reload what this tab shows of a cell. */
export function useKeptPanes(panes: Pane[], active: Ref<number>, layout: Ref<Layout>) {
  const cell = useCell()
  const kept = useSessionStorage<Record<string, Kept>>('selvik.where', {})
  watchDebounced(
    () => [active.value, ...panes.map((p) => [p.viewpoint, p.style, p.colours, p.back, p.forward])],
    () => {
      const id = cell.cell?.id
      if (!id) return
      const all = panes.map(({ viewpoint, style, colours, back, forward }) => ({
        viewpoint,
        style,
        colours,
        back,
        forward,
      }))
      kept.value = { [id]: { panes: all, active: active.value } }
    },
    { debounce: 300 },
  )
  /** Brings back what this tab showed of the cell before it was loaded anew. */
  function restore(): boolean {
    const old = kept.value[cell.cell?.id ?? '']
    if (!old) return false
    old.panes.forEach((p, i) => Object.assign(panes[i]!, p))
    active.value = old.active < layouts[layout.value].panes ? old.active : 0
    return true
  }

  return { restore }
}
