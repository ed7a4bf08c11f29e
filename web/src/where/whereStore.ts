import { useSessionStorage, useStorage, watchDebounced } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowReactive, shallowRef, watch } from 'vue'

import {
  answer,
  api,
  type Colours,
  type Schemas,
  type Style,
  type Vec3,
  type Viewpoint,
} from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { between, same, withLens, withProjection, wrapped } from '../scene/navigation'

export const START: Viewpoint = {
  pivot_mm: [0, 0, 500],
  bearing_deg: 30,
  elevation_deg: 25,
  roll_deg: 0,
  distance_mm: 5000,
  projection: 'perspective',
  lens_mm: 35,
  width_mm: 5000,
}
const REMEMBERED = 120
const FLIGHT_MS = 260

export type Layout = 'one' | 'side' | 'stacked' | 'four'
export const layouts: Record<Layout, { name: string; panes: number }> = {
  one: { name: 'One pane', panes: 1 },
  side: { name: 'Two side by side', panes: 2 },
  stacked: { name: 'Two stacked', panes: 2 },
  four: { name: 'Four panes', panes: 4 },
}

/** A part of the picture with a viewpoint of its own. */
export interface Pane {
  viewpoint: Viewpoint
  style: Style
  colours: Colours
  aspect: number
  back: Viewpoint[]
  forward: Viewpoint[]
}

/** A click in the picture that something waits for. */
export type Asking =
  'stand' | 'camera-from' | 'camera-to' | 'rectangle' | 'face-on' | 'pivot' | 'places'

/** From where one looks and how it is drawn. */
export const useWhere = defineStore('where', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const settings = useSettings()

  const newPane = (): Pane =>
    shallowReactive({
      viewpoint: START,
      style: 'shaded_edges',
      colours: 'role',
      aspect: 1.6,
      back: [],
      forward: [],
    })
  const panes = reactive([newPane(), newPane(), newPane(), newPane()]) as Pane[]
  const layout = useStorage<Layout>('selvik.layout', 'one')
  const active = ref(0)
  /** The pane the pointer is over. */
  const under = ref(0)
  const enlarged = ref(false)
  const shownPanes = computed(() =>
    enlarged.value ? [active.value] : [0, 1, 2, 3].slice(0, layouts[layout.value].panes),
  )
  const asking = ref<Asking | null>(null)

  const pane = computed(() => panes[active.value]!)
  const viewpoint = computed(() => pane.value.viewpoint)
  const style = computed({ get: () => pane.value.style, set: (s) => (pane.value.style = s) })
  const colours = computed({ get: () => pane.value.colours, set: (c) => (pane.value.colours = c) })
  const back = computed(() => pane.value.back)
  const forward = computed(() => pane.value.forward)

  const standardViews = shallowRef<Schemas['StandardViewInfo'][]>([])
  async function loadStandardViews() {
    if (!standardViews.value.length)
      standardViews.value = await answer(api.GET('/api/standard-views'))
  }

  // ---- panes
  function setLayout(to: Layout) {
    const before = shownPanes.value.length
    enlarged.value = false
    layout.value = to
    if (active.value >= layouts[to].panes) active.value = 0
    // New panes begin with views that complete the first.
    const [first] = panes
    const faces = [
      [0, 90],
      [0, 0],
      [90, 0],
    ] as const
    for (let i = Math.max(1, before); i < layouts[to].panes; i++) {
      const [bearing_deg, elevation_deg] = faces[i - 1]!
      const from = withProjection(
        { ...first!.viewpoint, bearing_deg, elevation_deg, roll_deg: 0 },
        'parallel',
      )
      panes[i]!.viewpoint = from
      void framed(shown(), from, panes[i]!.aspect).then((v) => (panes[i]!.viewpoint = v))
    }
  }
  function nextLayout() {
    const all = Object.keys(layouts) as Layout[]
    setLayout(all[(all.indexOf(layout.value) + 1) % all.length]!)
  }
  /** One pane under the pointer as large as all, and back. */
  function enlarge() {
    if (!enlarged.value && layouts[layout.value].panes === 1) return
    if (!enlarged.value) active.value = under.value
    enlarged.value = !enlarged.value
  }

  // ---- moving
  const flights = [0, 0, 0, 0]
  function put(index: number, next: Viewpoint) {
    const before = panes[index]!.viewpoint
    panes[index]!.viewpoint = next
    if (!settings.looking.linked || index !== active.value) return
    for (const other of shownPanes.value) {
      if (other === index || before.pivot_mm === next.pivot_mm) continue
      const v = panes[other]!.viewpoint
      const nearer = next.width_mm / before.width_mm
      panes[other]!.viewpoint = {
        ...v,
        pivot_mm: next.pivot_mm,
        distance_mm: v.distance_mm * nearer,
        width_mm: v.width_mm * nearer,
      }
    }
  }
  /** Moves by hand: at once, ends any flight. */
  function move(next: Viewpoint, index = active.value) {
    flights[index]!++
    put(index, next)
  }
  /** Keeps the view one leaves, so that one can come back. */
  function remember(index = active.value) {
    const p = panes[index]!
    const last = p.back.at(-1)
    if (last && same(last, p.viewpoint)) return
    p.back = [...p.back, p.viewpoint].slice(-REMEMBERED)
    p.forward = []
  }
  function fly(to: Viewpoint, index: number) {
    const mine = ++flights[index]!
    const from = panes[index]!.viewpoint
    if (settings.still) {
      put(index, to)
      return
    }
    const start = performance.now()
    const step = (now: number) => {
      if (mine !== flights[index]) return
      const s = Math.min(1, Math.max(0, now - start) / FLIGHT_MS)
      put(index, s < 1 ? between(from, to, s * s * (3 - 2 * s)) : to)
      if (s < 1) requestAnimationFrame(step)
    }
    requestAnimationFrame(step)
  }
  function goTo(to: Viewpoint, index = active.value) {
    remember(index)
    fly(to, index)
  }
  function goBack() {
    const p = pane.value
    const to = p.back.at(-1)
    if (!to) return
    p.forward = [...p.forward, p.viewpoint]
    p.back = p.back.slice(0, -1)
    fly(to, active.value)
  }
  function goForward() {
    const p = pane.value
    const to = p.forward.at(-1)
    if (!to) return
    p.back = [...p.back, p.viewpoint]
    p.forward = p.forward.slice(0, -1)
    fly(to, active.value)
  }

  // ---- going there
  /** The core's tightest view of items in the direction of `from`. */
  async function framed(
    items: string[],
    from: Viewpoint,
    aspect = pane.value.aspect,
  ): Promise<Viewpoint> {
    const id = cell.cell!.id
    const body = { items, viewpoint: from, aspect, time_s: when.time }
    return answer(api.POST('/api/cells/{id}/frame', { params: { path: { id } }, body }))
  }
  const shown = () => [...what.visible]
  async function fitAll(index = active.value) {
    goTo(await framed(shown(), panes[index]!.viewpoint, panes[index]!.aspect), index)
  }
  async function fitSelection(items: Iterable<string> = what.selected) {
    const wanted = [...items].flatMap((i) => cell.family(i)).filter((i) => what.visible.has(i))
    goTo(await framed(wanted.length ? wanted : shown(), viewpoint.value))
  }
  /** Fills the view with what lies between the corners (mm) of a drawn rectangle. */
  async function fitPoints(points_mm: Vec3[]) {
    const body = { points_mm, viewpoint: viewpoint.value, aspect: pane.value.aspect }
    goTo(await answer(api.POST('/api/frame-points', { body })))
  }
  async function faceOn(body: number, triangle: number) {
    const request = {
      body,
      triangle,
      viewpoint: viewpoint.value,
      aspect: pane.value.aspect,
      time_s: when.time,
    }
    goTo(
      await answer(
        api.POST('/api/cells/{id}/face-on', {
          params: { path: { id: cell.cell!.id } },
          body: request,
        }),
      ),
    )
  }
  /** Turns to a direction and frames what is selected, or everything. */
  async function standAt(bearing_deg: number, elevation_deg: number, index = active.value) {
    let from: Viewpoint = {
      ...panes[index]!.viewpoint,
      bearing_deg: wrapped(bearing_deg),
      elevation_deg,
      roll_deg: 0,
    }
    if (settings.looking.parallelForStandard) from = withProjection(from, 'parallel')
    const wanted = [...what.selected]
      .flatMap((i) => cell.family(i))
      .filter((i) => what.visible.has(i))
    goTo(await framed(wanted.length ? wanted : shown(), from, panes[index]!.aspect), index)
  }
  function standard(id: string, index = active.value) {
    const view = standardViews.value.find((v) => v.id === id)
    if (view) return standAt(view.bearing_deg, view.elevation_deg, index)
  }
  /** Turns to a direction without moving nearer or farther. */
  function turnTo(bearing_deg: number, elevation_deg: number, index = active.value) {
    goTo(
      { ...panes[index]!.viewpoint, bearing_deg: wrapped(bearing_deg), elevation_deg, roll_deg: 0 },
      index,
    )
  }
  /** The next notch of bearing (45°) or elevation (15°) in a direction. */
  function step(bearing: number, elevation: number, index = active.value) {
    const next = (value: number, notch: number, by: number) => {
      if (by === 0) return value
      const notches = value / notch
      return (by > 0 ? Math.floor(notches + 1.001) : Math.ceil(notches - 1.001)) * notch
    }
    const v = panes[index]!.viewpoint
    turnTo(
      next(v.bearing_deg, 45, bearing),
      Math.max(-90, Math.min(90, next(v.elevation_deg, 15, elevation))),
      index,
    )
  }
  const opposite = () => turnTo(viewpoint.value.bearing_deg + 180, -viewpoint.value.elevation_deg)
  function change(next: Viewpoint) {
    remember()
    move(next)
  }
  const setProjection = (projection: Viewpoint['projection']) =>
    change(withProjection(viewpoint.value, projection))
  function setLens(mm: number) {
    move(withLens(viewpoint.value, mm))
  }
  const level = () => goTo({ ...viewpoint.value, roll_deg: 0 })
  const rollBy = (degrees: number) =>
    goTo({ ...viewpoint.value, roll_deg: wrapped(viewpoint.value.roll_deg + degrees) })
  /** The pivot back to the middle of what is shown, the direction and the eye kept. */
  async function resetPivot() {
    const middle = (await framed(shown(), viewpoint.value)).pivot_mm
    change({ ...viewpoint.value, pivot_mm: middle })
  }

  /** The standard view a pane stands in exactly, or how far off square a nearly standard one is. */
  function squareness(v: Viewpoint) {
    const off = (s: Schemas['StandardViewInfo']) => {
      const round =
        Math.abs(s.elevation_deg) === 90
          ? Math.abs((((v.bearing_deg % 90) + 135) % 90) - 45)
          : Math.abs(wrapped(v.bearing_deg - s.bearing_deg))
      return Math.max(round, Math.abs(v.elevation_deg - s.elevation_deg))
    }
    return standardViews.value.map((s) => ({ s, off: off(s) })).sort((a, b) => a.off - b.off)[0]
  }
  const standing = computed(() => squareness(viewpoint.value))
  /** Whether a pane shows a drawing: parallel and exactly square. */
  const holdsSquare = (index: number) => {
    const v = panes[index]!.viewpoint
    return v.projection === 'parallel' && (squareness(v)?.off ?? 9) < 0.005
  }

  // ---- kept over a reload
  interface Kept {
    panes: Pick<Pane, 'viewpoint' | 'style' | 'colours' | 'back' | 'forward'>[]
    active: number
  }
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
  function clear() {
    panes.forEach((p) => Object.assign(p, newPane()))
    active.value = 0
  }
  watch(shownPanes, (now) => {
    if (!now.includes(active.value)) active.value = now[0]!
  })

  return {
    panes,
    layout,
    active,
    under,
    enlarged,
    shownPanes,
    asking,
    pane,
    viewpoint,
    style,
    colours,
    back,
    forward,
    standardViews,
    standing,
    loadStandardViews,
    setLayout,
    nextLayout,
    enlarge,
    move,
    remember,
    goTo,
    goBack,
    goForward,
    framed,
    fitAll,
    fitSelection,
    fitPoints,
    faceOn,
    standAt,
    standard,
    turnTo,
    step,
    opposite,
    change,
    setProjection,
    setLens,
    level,
    rollBy,
    resetPivot,
    squareness,
    holdsSquare,
    restore,
    clear,
  }
})
