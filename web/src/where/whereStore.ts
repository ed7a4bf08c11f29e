import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowReactive, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3, type Viewpoint } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { withLens, withProjection, wrapped } from '../scene/navigation'
import { type Layout, layouts, type Pane, START } from './panes'
import { squareness } from './squareness'
import { useFlights } from './useFlights'
import { useKeptPanes } from './useKeptPanes'

/** So long a way waits for the one before, ms. */
const PATIENCE_MS = 2000

/** A click in the picture that something waits for. */
export type Asking =
  | 'stand'
  | 'camera-from'
  | 'camera-to'
  | 'rectangle'
  | 'face-on'
  | 'cut-face'
  | 'cut-point'
  | 'cut-edge'
  | 'cut-points'
  | 'pivot'
  | 'places'
  | 'measure'

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

  const { headed, move, remember, goTo, goBack, goForward } = useFlights(panes, active, shownPanes)
  const { restore } = useKeptPanes(panes, active, layout)

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
  const ways = panes.map(() => ({ before: Promise.resolve(), asked: 0, gone: 0 }))
  /**
   * Ways of a pane are gone one after the other: each starts where the one before ends. One that is
   * not answered for long is no longer waited for, and not gone once a later one is.
   */
  function goInTurn(
    way: (from: Viewpoint, aspect: number) => Promise<Viewpoint>,
    index = active.value,
  ): Promise<void> {
    const mine = ways[index]!
    const turn = ++mine.asked
    const patience = new Promise<void>((done) => setTimeout(done, PATIENCE_MS))
    const going = Promise.race([mine.before, patience]).then(async () => {
      const to = await way(headed(index), panes[index]!.aspect)
      if (turn < mine.gone) return
      mine.gone = turn
      goTo(to, index)
    })
    mine.before = going.catch(() => undefined)
    return going
  }
  const shown = () => [...what.visible]
  /** What is shown of these and of what hangs on them; everything, if there is nothing. */
  function wantedOf(items: Iterable<string>): string[] {
    const wanted = [...items].flatMap((i) => cell.family(i)).filter((i) => what.visible.has(i))
    return wanted.length ? wanted : shown()
  }
  const fitAll = (index = active.value) =>
    goInTurn((from, aspect) => framed(shown(), from, aspect), index)
  const fitSelection = (items: Iterable<string> = what.selected) => {
    const wanted = wantedOf(items)
    return goInTurn((from, aspect) => framed(wanted, from, aspect))
  }
  /** Fills the view with what lies between the corners (mm) of a drawn rectangle. */
  const fitPoints = (points_mm: Vec3[]) =>
    goInTurn((viewpoint, aspect) =>
      answer(api.POST('/api/frame-points', { body: { points_mm, viewpoint, aspect } })),
    )
  const faceOn = (body: number, triangle: number) =>
    goInTurn((viewpoint, aspect) => {
      const asked = { body, triangle, viewpoint, aspect, time_s: when.time }
      const params = { path: { id: cell.cell!.id } }
      return answer(api.POST('/api/cells/{id}/face-on', { params, body: asked }))
    })
  /** Turns to a direction and frames what is selected, or everything. */
  function standAt(bearing_deg: number, elevation_deg: number, index = active.value) {
    const wanted = wantedOf(what.selected)
    const turned = { bearing_deg: wrapped(bearing_deg), elevation_deg, roll_deg: 0 }
    return goInTurn((from, aspect) => {
      const next = { ...from, ...turned }
      const { parallelForStandard } = settings.looking
      return framed(wanted, parallelForStandard ? withProjection(next, 'parallel') : next, aspect)
    }, index)
  }
  function standard(id: string, index = active.value) {
    const view = standardViews.value.find((v) => v.id === id)
    if (view) return standAt(view.bearing_deg, view.elevation_deg, index)
  }
  /** Turns to a direction without moving nearer or farther. */
  function turnTo(bearing_deg: number, elevation_deg: number, index = active.value) {
    goTo({ ...headed(index), bearing_deg: wrapped(bearing_deg), elevation_deg, roll_deg: 0 }, index)
  }
  /** The next notch of bearing (45°) or elevation (15°) in a direction. */
  function step(bearing: number, elevation: number, index = active.value) {
    const next = (value: number, notch: number, by: number) => {
      if (by === 0) return value
      const notches = value / notch
      return (by > 0 ? Math.floor(notches + 1.001) : Math.ceil(notches - 1.001)) * notch
    }
    const v = headed(index)
    turnTo(
      next(v.bearing_deg, 45, bearing),
      Math.max(-90, Math.min(90, next(v.elevation_deg, 15, elevation))),
      index,
    )
  }
  const opposite = () => turnTo(headed().bearing_deg + 180, -headed().elevation_deg)
  function change(next: Viewpoint) {
    remember()
    move(next)
  }
  const setProjection = (projection: Viewpoint['projection']) =>
    change(withProjection(viewpoint.value, projection))
  function setLens(mm: number) {
    move(withLens(viewpoint.value, mm))
  }
  const level = () => goTo({ ...headed(), roll_deg: 0 })
  const rollBy = (degrees: number) =>
    goTo({ ...headed(), roll_deg: wrapped(headed().roll_deg + degrees) })
  /** The pivot back to the middle of what is shown, the direction and the eye kept. */
  async function resetPivot() {
    const middle = (await framed(shown(), viewpoint.value)).pivot_mm
    change({ ...viewpoint.value, pivot_mm: middle })
  }

  const squarenessOf = (v: Viewpoint) => squareness(v, standardViews.value)
  const standing = computed(() => squarenessOf(viewpoint.value))
  /** Whether a pane shows a drawing: parallel and exactly square. */
  const holdsSquare = (index: number) => {
    const v = panes[index]!.viewpoint
    return v.projection === 'parallel' && (squarenessOf(v)?.off ?? 9) < 0.005
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
    squareness: squarenessOf,
    holdsSquare,
    restore,
    clear,
  }
})
