import { StorageSerializers, useSessionStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { useCell } from '../cell/cellStore'

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
  /** Ticked visibility sets: if any is, only what one of them holds is shown. */
  const sets = ref<Set<string>>(new Set())
  /** Items whose frame is marked whatever kinds are. */
  const framed = ref<Set<string>>(new Set())

  const all = computed(() => [...cell.items.keys()])
  const inSets = computed(() => {
    const ticked = (cell.cell?.document.visibility_sets ?? []).filter((s) => sets.value.has(s.id))
    return ticked.length ? new Set(ticked.flatMap((s) => s.items)) : null
  })
  /** Whether an item is shown as far as hiding and isolating go. */
  const shownAlone = (id: string) =>
    !hidden.value.has(id) && (!isolated.value || isolated.value.has(id))
  const visible = computed(
    () =>
      new Set(all.value.filter((id) => shownAlone(id) && (!inSets.value || inSets.value.has(id)))),
  )
  /** Seen as ghosts round what is looked at closely. */
  const context = ref(new Set<string>())
  const ghosts = computed(() => {
    const rest = all.value.filter((id) => !visible.value.has(id))
    if (peeking.value || ghostRest.value) return new Set(rest)
    return new Set(rest.filter((id) => context.value.has(id)))
  })
  const hiddenCount = computed(() => all.value.filter((id) => hidden.value.has(id)).length)

  function carriersOf(id: string): string[] {
    const parent = cell.items.get(id)?.parent
    return parent ? [parent, ...carriersOf(parent)] : []
  }
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
    if (inSets.value && [...shown].some((id) => !inSets.value!.has(id))) sets.value = new Set()
  }
  function toggle(id: string) {
    if (visible.value.has(id)) hide([id])
    else show([id])
  }
  /** What is asked for by itself is not hidden any more. */
  const hiddenBut = (ids: Iterable<string>) => {
    const asked = new Set(ids)
    return new Set([...hidden.value].filter((id) => !asked.has(id)))
  }
  function isolate(ids: Iterable<string> = selected.value, ghosted = false) {
    const wanted = families(ids)
    if (!wanted.length) return
    hidden.value = hiddenBut(ids)
    isolated.value = new Set(wanted)
    ghostRest.value = ghosted
    context.value = new Set()
  }
  /** Shows just these, without what hangs on them; what carries them stays as ghosts. */
  function isolateOnly(ids: string[]) {
    showJust({ hidden: hiddenBut(ids), isolated: new Set(ids), ghostRest: false, sets: new Set() })
    context.value = new Set(ids.flatMap((id) => carriersOf(id)))
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
    sets.value = new Set()
  }
  function toggleSet(id: string) {
    const next = new Set(sets.value)
    if (!next.delete(id)) next.add(id)
    sets.value = next
  }
  /** Hides what is shown and shows what is hidden. */
  function invertShown() {
    const shown = visible.value
    isolated.value = null
    sets.value = new Set()
    hidden.value = shown
  }
  /** Ghosts the selection, or everything but it: gone for picking, seen as a shadow. */
  function ghost(ids: Iterable<string> = selected.value) {
    hide(ids)
    ghostRest.value = true
  }
  /** Selects what has something in common with the selection. */
  function selectLike(by: 'role' | 'mesh' | 'parent') {
    const some = [...selected.value].flatMap((id) => cell.items.get(id) ?? [])
    if (by === 'parent') {
      selected.value = new Set(some.flatMap((i) => i.parent ?? []))
      return
    }
    const meshes = new Map<string, Set<string>>()
    for (const body of cell.cell?.bodies ?? [])
      meshes.set(body.item, (meshes.get(body.item) ?? new Set()).add(body.mesh))
    const roles = new Set(some.map((i) => i.role))
    const wanted = new Set(some.flatMap((i) => [...(meshes.get(i.id) ?? [])]))
    const like = (id: string) =>
      by === 'role'
        ? roles.has(cell.items.get(id)!.role)
        : [...(meshes.get(id) ?? [])].some((m) => wanted.has(m))
    selected.value = new Set([...visible.value].filter(like))
  }
  // ---- back and forward through what was shown
  interface Shown {
    hidden: Set<string>
    isolated: Set<string> | null
    ghostRest: boolean
    sets: Set<string>
  }
  const past = shallowRef<Shown[]>([])
  const future = shallowRef<Shown[]>([])
  const REMEMBERED = 100
  let walking = false
  /** What is shown now, to come back to. */
  const shownNow = (): Shown => ({
    hidden: hidden.value,
    isolated: isolated.value,
    ghostRest: ghostRest.value,
    sets: sets.value,
  })
  watch([hidden, isolated, ghostRest, sets], (_, [h, i, g, s]) => {
    if (walking) {
      walking = false
      return
    }
    past.value = [...past.value, { hidden: h, isolated: i, ghostRest: g, sets: s }].slice(
      -REMEMBERED,
    )
    future.value = []
  })
  function walk(from: typeof past, to: typeof past) {
    const there = from.value.at(-1)
    if (!there) return
    to.value = [...to.value, shownNow()]
    from.value = from.value.slice(0, -1)
    walking = true
    showJust(there)
  }
  function showJust(these: Shown) {
    context.value = new Set()
    ;[hidden.value, isolated.value, ghostRest.value, sets.value] = [
      these.hidden,
      these.isolated,
      these.ghostRest,
      these.sets,
    ]
  }
  const shownBefore = () => walk(past, future)
  const shownAgain = () => walk(future, past)

  // ---- kept over a reload
  interface Kept {
    cell: string
    hidden: string[]
    isolated: string[] | null
    ghostRest: boolean
    sets: string[]
  }
  const kept = useSessionStorage<Kept | null>('selvik.shown', null, {
    serializer: StorageSerializers.object,
  })
  watch([hidden, isolated, ghostRest, sets], () => {
    const id = cell.cell?.id
    if (id)
      kept.value = {
        cell: id,
        hidden: [...hidden.value],
        isolated: isolated.value && [...isolated.value],
        ghostRest: ghostRest.value,
        sets: [...sets.value],
      }
  })
  /** Shows what this tab showed of the cell before it was loaded anew, or all of it. */
  function restore() {
    const old = kept.value?.cell === cell.cell?.id ? kept.value : null
    hidden.value = new Set(old?.hidden)
    isolated.value = old?.isolated ? new Set(old.isolated) : null
    ghostRest.value = old?.ghostRest ?? false
    sets.value = new Set(old?.sets)
    past.value = future.value = []
    walking = true
  }

  // What is deleted, by whomever, is selected no more.
  watch(
    () => cell.items,
    (items) => {
      if ([...selected.value].some((id) => !items.has(id)))
        selected.value = new Set([...selected.value].filter((id) => items.has(id)))
    },
  )
  function invertSelection() {
    selected.value = new Set([...visible.value].filter((id) => !selected.value.has(id)))
  }

  return {
    selected,
    hidden,
    isolated,
    peeking,
    context,
    hovered,
    ghostRest,
    framed,
    visible,
    ghosts,
    hiddenCount,
    past,
    future,
    restore,
    shownNow,
    showJust,
    shownBefore,
    shownAgain,
    sets,
    inSets,
    shownAlone,
    toggleSet,
    invertShown,
    ghost,
    selectLike,
    select,
    invertSelection,
    toggleFrame,
    selectAll,
    hide,
    show,
    toggle,
    isolate,
    isolateOnly,
    showAll,
  }
})
