import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import type { SavedView, ViewPart } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSection } from './sectionStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { START } from './panes'
import { useWhere } from './whereStore'

export const viewParts: Record<ViewPart, string> = {
  viewpoint: 'Viewpoint',
  style: 'Style',
  visibility: 'Visibility',
  section: 'Section',
  time: 'Path time',
}
const ALL = Object.keys(viewParts) as ViewPart[]

/** Views with a name. They change only when told to. */
export const useViews = defineStore('views', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const section = useSection()
  const recalled = ref<string | null>(null)
  const views = computed(() => cell.cell?.document.views ?? [])
  const opening = computed(() => cell.cell?.document.opening_view ?? null)
  /** Headings in the order of the list; views without one come first. */
  const groups = computed(() => {
    const map = new Map<string | null, SavedView[]>([[null, []]])
    for (const view of views.value) {
      const key = view.group ?? null
      map.set(key, [...(map.get(key) ?? []), view])
    }
    return [...map].filter(([key, list]) => key !== null || list.length)
  })

  function picture(id: string, name: string, like?: SavedView): SavedView {
    return {
      id,
      name,
      group: like?.group,
      keeps: like?.keeps,
      viewpoint: where.viewpoint,
      style: where.style,
      colours: where.colours,
      sections: section.sections,
      uncut: [...section.cuts.uncut],
      time_s: when.time,
      hidden: [...cell.items.keys()].filter((i) => !what.shownAlone(i)),
      sets: what.sets.size ? [...what.sets] : undefined,
      ghosted: what.ghostRest,
    }
  }
  async function save(name: string) {
    const id = crypto.randomUUID()
    if (await cell.edit({ edit: 'save_view', view: picture(id, name) })) recalled.value = id
  }
  const update = (view: SavedView) =>
    cell.edit({ edit: 'save_view', view: picture(view.id, view.name, view) })
  const setKeeps = (view: SavedView, keeps: ViewPart[]) =>
    cell.edit({
      edit: 'save_view',
      view: { ...view, keeps: keeps.length === ALL.length ? undefined : keeps },
    })
  const duplicate = (view: SavedView) =>
    cell.edit({
      edit: 'save_view',
      view: { ...view, id: crypto.randomUUID(), name: `${view.name}, copy` },
    })
  const rename = (view: SavedView, name: string) =>
    cell.edit({ edit: 'rename_view', view: view.id, name })
  const remove = (view: SavedView) => cell.edit({ edit: 'delete_view', view: view.id })
  const moveTo = (view: SavedView, to: number, group: string | null = view.group ?? null) =>
    cell.edit({ edit: 'move_view', view: view.id, to, group })
  const openWith = (view: SavedView | null) =>
    cell.edit({ edit: 'open_with', view: view?.id ?? null })

  const keepsOf = (view: SavedView) => view.keeps ?? ALL
  /** Shows what a view stores, but for its viewpoint. */
  function dress(view: SavedView) {
    const keeps = new Set(keepsOf(view))
    if (keeps.has('visibility')) {
      what.isolated = null
      what.hidden = new Set(view.hidden)
      what.sets = new Set(view.sets ?? [])
      what.ghostRest = view.ghosted ?? false
    }
    if (keeps.has('style'))
      Object.assign(where.pane, { style: view.style, colours: view.colours ?? 'role' })
    if (keeps.has('section'))
      section.take({ sections: view.sections ?? [], uncut: new Set(view.uncut) })
    if (keeps.has('time') && view.time_s != null) when.goTo(view.time_s)
  }
  function recall(view: SavedView, atOnce = false) {
    dress(view)
    recalled.value = view.id
    if (!keepsOf(view).includes('viewpoint')) return
    if (atOnce) where.move(view.viewpoint)
    else where.goTo(view.viewpoint)
  }
  async function showOpening() {
    const view = views.value.find((v) => v.id === opening.value)
    where.clear()
    if (view) recall(view, true)
    else where.move(await where.framed([], START))
  }

  return {
    views,
    groups,
    opening,
    recalled,
    save,
    update,
    setKeeps,
    duplicate,
    rename,
    remove,
    moveTo,
    openWith,
    keepsOf,
    dress,
    recall,
    showOpening,
  }
})
