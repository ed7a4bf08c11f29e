import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { useCell } from '../cells/cellStore'

/** What is selected and what is shown. */
export const useWhat = defineStore('what', () => {
  const cell = useCell()
  const selected = ref<Set<string>>(new Set())
  const hidden = ref<Set<string>>(new Set())
  const isolated = ref<Set<string> | null>(null)
  const peeking = ref(false)
  const hovered = ref<string | null>(null)
  /** Whether what is hidden or not isolated is seen as a ghost. */
  const ghostRest = ref(false)
  /** Items whose frame is marked whatever kinds are. */
  const framed = ref<Set<string>>(new Set())

  const all = computed(() => [...cell.items.keys()])
  const visible = computed(
    () => new Set(all.value.filter((id) => !hidden.value.has(id) && (!isolated.value || isolated.value.has(id)))),
  )
  const ghosts = computed(
    () => new Set(peeking.value || ghostRest.value ? all.value.filter((id) => !visible.value.has(id)) : []),
  )
  const hiddenCount = computed(() => all.value.filter((id) => hidden.value.has(id)).length)

  const families = (ids: Iterable<string>) => [...ids].flatMap((id) => cell.family(id))

  function select(id: string | null, add = false) {
    const next = new Set(add ? selected.value : [])
    if (id) {
      if (add && next.has(id)) next.delete(id)
      else next.add(id)
    }
    selected.value = next
  }
  function selectAll() {
    selected.value = new Set(visible.value)
  }
  function hide(ids: Iterable<string> = selected.value) {
    hidden.value = new Set([...hidden.value, ...families(ids)])
    selected.value = new Set([...selected.value].filter((id) => !hidden.value.has(id)))
  }
  function show(ids: Iterable<string>) {
    const shown = new Set(families(ids))
    hidden.value = new Set([...hidden.value].filter((id) => !shown.has(id)))
    if (isolated.value) isolated.value = new Set([...isolated.value, ...shown])
  }
  function toggle(id: string) {
    if (visible.value.has(id)) hide([id])
    else show([id])
  }
  function isolate(ids: Iterable<string> = selected.value, ghosted = false) {
    const wanted = families(ids)
    if (!wanted.length) return
    isolated.value = new Set(wanted)
    ghostRest.value = ghosted
  }
  /** Shows just these, without what hangs on them. */
  function isolateOnly(ids: string[]) {
    isolated.value = new Set(ids)
  }
  function toggleFrame(ids: Iterable<string> = selected.value) {
    const next = new Set(framed.value)
    for (const id of ids) if (!next.delete(id)) next.add(id)
    framed.value = next
  }
  function showAll() {
    hidden.value = new Set()
    isolated.value = null
    ghostRest.value = false
  }
  function invertSelection() {
    selected.value = new Set([...visible.value].filter((id) => !selected.value.has(id)))
  }

  return {
    selected, hidden, isolated, peeking, hovered, ghostRest, framed, visible, ghosts, hiddenCount,
    select, invertSelection, toggleFrame, selectAll, hide, show, toggle, isolate, isolateOnly, showAll,
  }
})
