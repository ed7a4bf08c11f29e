import { usePreferredReducedMotion } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type SavedView, type Schemas, type Section, type Style, type Vec3, type Viewpoint } from '../api/client'
import { useCell } from '../cells/cellStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { basis, between, same, withLens, withProjection, wrapped } from './navigation'

const START: Viewpoint = {
  pivot_mm: [0, 0, 500], bearing_deg: 30, elevation_deg: 25, distance_mm: 5000, projection: 'perspective',
  lens_mm: 35, width_mm: 5000,
}
const REMEMBERED = 100
const FLIGHT_MS = 260

/** From where one looks and how it is drawn. */
export const useWhere = defineStore('where', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const reduced = usePreferredReducedMotion()

  const viewpoint = shallowRef<Viewpoint>(START)
  const style = ref<Style>('shaded_edges')
  const section = shallowRef<Section | null>(null)
  const sectionFaces = shallowRef<Schemas['SectionFaces'] | null>(null)
  const standardViews = shallowRef<Schemas['StandardViewInfo'][]>([])
  const aspect = ref(1.6)
  const back = shallowRef<Viewpoint[]>([])
  const forward = shallowRef<Viewpoint[]>([])
  const recalled = ref<string | null>(null)

  async function loadStandardViews() {
    if (!standardViews.value.length) standardViews.value = await answer(api.GET('/api/standard-views'))
  }

  let flight = 0
  /** Moves by hand: at once, ends any flight. */
  function move(next: Viewpoint) {
    flight++
    viewpoint.value = next
  }
  /** Keeps the view one leaves, so that one can come back. */
  function remember() {
    const last = back.value.at(-1)
    if (last && same(last, viewpoint.value)) return
    back.value = [...back.value, viewpoint.value].slice(-REMEMBERED)
    forward.value = []
  }
  function fly(to: Viewpoint) {
    const mine = ++flight
    const from = viewpoint.value
    if (reduced.value === 'reduce') {
      viewpoint.value = to
      return
    }
    const start = performance.now()
    const step = (now: number) => {
      if (mine !== flight) return
      const s = Math.min(1, Math.max(0, now - start) / FLIGHT_MS)
      viewpoint.value = s < 1 ? between(from, to, s * s * (3 - 2 * s)) : to
      if (s < 1) requestAnimationFrame(step)
    }
    requestAnimationFrame(step)
  }
  function goTo(to: Viewpoint) {
    remember()
    fly(to)
  }
  function goBack() {
    const to = back.value.at(-1)
    if (!to) return
    forward.value = [...forward.value, viewpoint.value]
    back.value = back.value.slice(0, -1)
    fly(to)
  }
  function goForward() {
    const to = forward.value.at(-1)
    if (!to) return
    back.value = [...back.value, viewpoint.value]
    forward.value = forward.value.slice(0, -1)
    fly(to)
  }

  /** The core's tightest view of items in the direction of `from`. */
  async function framed(items: string[], from: Viewpoint): Promise<Viewpoint> {
    const id = cell.cell!.id
    const body = { items, viewpoint: from, aspect: aspect.value, time_s: when.time }
    return answer(api.POST('/api/cells/{id}/frame', { params: { path: { id } }, body }))
  }
  const shown = () => [...what.visible]
  async function fitAll() {
    goTo(await framed(shown(), viewpoint.value))
  }
  async function fitSelection(items: Iterable<string> = what.selected) {
    const wanted = [...items].flatMap((i) => cell.family(i)).filter((i) => what.visible.has(i))
    goTo(await framed(wanted.length ? wanted : shown(), viewpoint.value))
  }
  /** Turns to a direction and frames what is selected, or everything. */
  async function standAt(bearing_deg: number, elevation_deg: number) {
    const from = { ...viewpoint.value, bearing_deg: wrapped(bearing_deg), elevation_deg }
    const wanted = [...what.selected].flatMap((i) => cell.family(i))
    goTo(await framed(wanted.length ? wanted : shown(), from))
  }
  function standard(id: string) {
    const view = standardViews.value.find((v) => v.id === id)
    if (view) return standAt(view.bearing_deg, view.elevation_deg)
  }
  /** Turns to a direction without moving nearer or farther. */
  function turnTo(bearing_deg: number, elevation_deg: number) {
    goTo({ ...viewpoint.value, bearing_deg: wrapped(bearing_deg), elevation_deg })
  }
  /** The next notch of bearing (45°) or elevation (15°) in a direction. */
  function step(bearing: number, elevation: number) {
    const next = (value: number, notch: number, by: number) =>
      by === 0 ? value : by > 0 ? Math.floor(value / notch + 1.001) * notch : Math.ceil(value / notch - 1.001) * notch
    const v = viewpoint.value
    turnTo(next(v.bearing_deg, 45, bearing), Math.max(-90, Math.min(90, next(v.elevation_deg, 15, elevation))))
  }
  function setProjection(projection: Viewpoint['projection']) {
    remember()
    move(withProjection(viewpoint.value, projection))
  }
  function setLens(mm: number) {
    move(withLens(viewpoint.value, mm))
  }

  /** The standard view one stands in exactly, or how far off square a nearly standard one is. */
  const standing = computed(() => {
    const v = viewpoint.value
    const off = (s: Schemas['StandardViewInfo']) => {
      const level = Math.abs(s.elevation_deg) === 90 ? 0 : Math.abs(wrapped(v.bearing_deg - s.bearing_deg))
      return Math.max(level, Math.abs(v.elevation_deg - s.elevation_deg))
    }
    const nearest = standardViews.value.map((s) => ({ s, off: off(s) })).sort((a, b) => a.off - b.off)[0]
    return nearest
  })

  // ---- section
  function toggleSection() {
    if (section.value) {
      section.value = null
      return
    }
    // Square to the axis one looks along most, through what is selected or the pivot.
    const { back: towards } = basis(viewpoint.value)
    const axis = [0, 1, 2].sort((a, b) => Math.abs(towards[b]!) - Math.abs(towards[a]!))[0]!
    const normal: Vec3 = [0, 0, 0]
    normal[axis] = Math.sign(towards[axis]!) || 1
    section.value = { point_mm: [...viewpoint.value.pivot_mm], normal }
  }
  let asked = 0
  let busy = false
  async function cutFaces() {
    asked++
    if (busy) return
    busy = true
    try {
      while (asked && section.value && cell.cell) {
        asked = 0
        const body = { section: section.value, items: shown(), time_s: when.time }
        const path = { id: cell.cell.id }
        sectionFaces.value = await answer(api.POST('/api/cells/{id}/section', { params: { path }, body })).catch(() => null)
      }
      if (!section.value) sectionFaces.value = null
    } finally {
      busy = false
    }
  }
  watch([section, () => what.visible, () => when.shownTime], () => {
    if (section.value) void cutFaces()
    else sectionFaces.value = null
  })

  // ---- saved views
  const views = computed(() => cell.cell?.document.views ?? [])
  function picture(id: string, name: string): SavedView {
    return {
      id, name, viewpoint: viewpoint.value, style: style.value, section: section.value, time_s: when.time,
      hidden: [...cell.items.keys()].filter((i) => !what.visible.has(i)),
    }
  }
  async function saveView(name: string) {
    const id = crypto.randomUUID()
    if (await cell.edit({ edit: 'save_view', view: picture(id, name) })) recalled.value = id
  }
  const updateView = (view: SavedView) => cell.edit({ edit: 'save_view', view: picture(view.id, view.name) })
  const renameView = (view: SavedView, name: string) => cell.edit({ edit: 'rename_view', view: view.id, name })
  const deleteView = (view: SavedView) => cell.edit({ edit: 'delete_view', view: view.id })
  function recall(view: SavedView, atOnce = false) {
    what.isolated = null
    what.hidden = new Set(view.hidden)
    style.value = view.style
    section.value = view.section ?? null
    if (view.time_s != null) when.goTo(view.time_s)
    recalled.value = view.id
    if (atOnce) move(view.viewpoint)
    else goTo(view.viewpoint)
  }
  async function openingView() {
    const document = cell.cell!.document
    const view = views.value.find((v) => v.id === document.opening_view)
    back.value = []
    forward.value = []
    if (view) recall(view, true)
    else move(await framed([], START))
  }

  return {
    viewpoint, style, section, sectionFaces, standardViews, aspect, back, forward, recalled, standing, views,
    loadStandardViews, move, remember, goTo, goBack, goForward, framed, fitAll, fitSelection, standAt, standard, turnTo, step,
    setProjection, setLens, toggleSection, saveView, updateView, renameView, deleteView, recall, openingView,
  }
})
