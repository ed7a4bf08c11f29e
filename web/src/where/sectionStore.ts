import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Section, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { metres } from '../scene/cameras'
import { basis } from '../scene/navigation'
import { matrixOf } from '../scene/poses'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useWhere } from './whereStore'

/** What is cut, and what no section cuts. */
export interface Cuts {
  sections: Section[]
  uncut: ReadonlySet<string>
}
export const UNCUT: Cuts = { sections: [], uncut: new Set() }

/** How many sections cut at once at most, as the server has it. */
const MOST = 12
/** How thick a slab begins, mm. */
const SLAB_MM = 100

/** The cuts through what is shown. */
export const useSection = defineStore('section', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const jog = useJog()
  const notices = useNotices()
  const cuts = shallowRef<Cuts>(UNCUT)
  /** Which of them is worked on. */
  const at = ref(0)
  const faces = shallowRef<Schemas['SectionFaces'] | null>(null)
  /** The moment of the faces, s. */
  const facesAt = ref<number | null>(null)
  /** The moment that is drawn: while programs play that of the faces, so that they fit. */
  const drawnAt = computed(() =>
    when.playing && sections.value.length && facesAt.value !== null ? facesAt.value : when.time,
  )

  const sections = computed(() => cuts.value.sections)
  const section = computed(() => sections.value[at.value] ?? null)
  function take(next: Cuts) {
    cuts.value = next
    at.value = Math.max(0, Math.min(at.value, next.sections.length - 1))
  }
  const takeSections = (sections: Section[]) => take({ ...cuts.value, sections })
  /** Replaces the one that is worked on. */
  function change(by: Partial<Section>) {
    takeSections(sections.value.map((s, i) => (i === at.value ? { ...s, ...by } : s)))
  }
  function add(section: Section) {
    if (sections.value.length >= MOST) return notices.say(`At most ${MOST} sections cut at once.`)
    takeSections([...sections.value, section])
    at.value = sections.value.length - 1
  }
  function remove(index: number) {
    if (index < at.value) at.value--
    takeSections(sections.value.filter((_, i) => i !== index))
  }
  const clear = () => take(UNCUT)

  /** Where a new section begins: in the middle of the selection, or at the pivot. */
  async function middle(): Promise<Vec3> {
    const chosen = [...what.selected].flatMap((i) => cell.family(i))
    const shown = chosen.filter((i) => what.visible.has(i))
    if (!shown.length) return [...where.viewpoint.pivot_mm] as Vec3
    // Framed square on and without perspective, the pivot is the middle of its box.
    const square = {
      bearing_deg: 0,
      elevation_deg: 0,
      roll_deg: 0,
      projection: 'parallel',
    } as const
    const { pivot_mm } = await where.framed(shown, { ...where.viewpoint, ...square })
    return [...pivot_mm] as Vec3
  }
  /** The direction of an axis one looks along most, towards the eye; one not yet cut along. */
  function nearestAxis(): Vec3 {
    const { back } = basis(where.viewpoint)
    const order = [0, 1, 2].sort((a, b) => Math.abs(back[b]!) - Math.abs(back[a]!))
    const along = (axis: number) => sections.value.some((s) => axisOf(s.normal) === axis)
    const axis = order.find((axis) => !along(axis)) ?? order[0]!
    const normal: Vec3 = [0, 0, 0]
    normal[axis] = Math.sign(back[axis]!) || 1
    return normal
  }
  async function toggle() {
    if (sections.value.length) clear()
    else await addNew()
  }
  /** Cuts square to the axis one looks along most: what is between it and the eye is taken away. */
  async function addNew() {
    add({ point_mm: await middle(), normal: nearestAxis() })
  }
  /** Cuts square to where one looks. */
  async function addAlongView() {
    add({ point_mm: await middle(), normal: [...basis(where.viewpoint).back] })
  }
  /** Takes the one that is worked on through a point (mm), or cuts anew through it. */
  function goThrough(at: Vec3) {
    if (!section.value) return add({ point_mm: at, normal: nearestAxis() })
    const frame = frameNow(section.value.fixed_to)
    const own = frame ? metres(at).applyMatrix4(frame.invert()) : metres(at)
    change({ point_mm: own.multiplyScalar(1e3).toArray() })
  }
  /** Points picked so far for a cut through three of them. */
  const through = shallowRef<Vec3[]>([])
  /** Takes one more; the third makes the cut, its side towards the eye. Whether it did. */
  function addThrough(point: Vec3): boolean {
    const points = [...through.value, point]
    through.value = points.length === 3 ? [] : points
    if (points.length < 3) return false
    const [a, b, c] = points.map((p) => metres(p)) as [Metres, Metres, Metres]
    const normal = b.sub(a).cross(c.sub(a))
    if (normal.length() < 1e-9) {
      notices.say('These three points lie in one line; pick others.')
      return false
    }
    add({ point_mm: points[0]!, normal: towards(normal.normalize().toArray()) })
    return true
  }
  /** A direction or its opposite, whichever looks towards the eye. */
  function towards(direction: readonly number[]): number[] {
    const { back } = basis(where.viewpoint)
    const side = direction.reduce((sum, x, i) => sum + x * back[i]!, 0)
    return direction.map((x) => (side < 0 ? -x : x))
  }
  /** Cuts square to the straight edge or the axis that is meant by a hit, through that place. */
  async function addSquareTo(hit: { body: number; triangle: number; at: Vec3; near_mm: number }) {
    const { body, triangle, at, near_mm } = hit
    const params = { path: { id: cell.cell!.id } }
    const request = { body, triangle, at_mm: at, near_mm, time_s: when.time }
    const picked = { ...request, joints_deg_or_mm: jog.tried }
    try {
      const { known } = await answer(api.POST('/api/cells/{id}/pick', { params, body: picked }))
      const along = known.values.find((v) => 'direction' in v && v.what !== 'normal')
      if (!along || !('direction' in along))
        return notices.say('That is neither a straight edge nor round; pick another.')
      add({ point_mm: at, normal: towards(along.direction) })
    } catch (e) {
      notices.say(e)
    }
  }
  /** Cuts along a face, through a point of it. */
  const addAlong = (point_mm: Vec3, normal: Vec3) => add({ point_mm, normal })

  /** The coordinate system of an item. */
  const nodeOf = (item: string) => cell.cell?.item_nodes[[...cell.items.keys()].indexOf(item)]
  /** Where the frame of an item stands in the world now. */
  function frameNow(item: string | null | undefined) {
    const node = item ? nodeOf(item) : undefined
    if (node === undefined) return null
    const moving = cell.cell!.moving_nodes.indexOf(node)
    const pose = moving < 0 ? undefined : when.posesNow()[moving]
    return matrixOf(pose ?? cell.cell!.poses[node]!)
  }
  /** The one that is worked on as it stands in the world now. */
  const placed = computed(() => (section.value ? inWorld(section.value) : null))
  function inWorld({ fixed_to, ...section }: Section): Section {
    const frame = frameNow(fixed_to)
    return frame ? moved(section, frame) : section
  }
  /** Fixes the one that is worked on to an item's frame, or to the world; it stays where it is. */
  function fixTo(item: string | null) {
    const frame = frameNow(item)
    const here = placed.value!
    const next = frame ? { ...moved(here, frame.invert()), fixed_to: item } : here
    takeSections(sections.value.map((s, i) => (i === at.value ? next : s)))
  }
  /** Moves the one that is worked on along its normal, mm. */
  function shift(by_mm: number, from = section.value!) {
    const length = Math.hypot(...from.normal)
    change({ point_mm: from.point_mm.map((x, i) => x + (from.normal[i]! / length) * by_mm) })
  }
  /** Turns the one that is worked on square to an axis of its frame, its side towards the eye. */
  function squareTo(axis: number) {
    const normal: Vec3 = [0, 0, 0]
    normal[axis] = towardsEye()[axis]! < 0 ? -1 : 1
    change({ normal })
    // A corner's other planes stand square to it.
    if (kind.value === 'quarter' || kind.value === 'eighth') become(kind.value)
  }
  /** Towards the eye, in the frame of the one that is worked on. */
  function towardsEye(): Vec3 {
    const frame = frameNow(section.value!.fixed_to)
    const back = metres(basis(where.viewpoint).back.map((x) => x * 1e3) as Vec3)
    if (frame) back.transformDirection(frame.invert())
    return back.toArray()
  }
  const flip = () => change({ normal: section.value!.normal.map((x) => -x) })

  type Kind = 'plane' | 'slab' | 'quarter' | 'eighth'
  const kind = computed((): Kind => {
    const shape = section.value?.shape ?? 'plane'
    if (shape === 'plane') return 'plane'
    if ('slab' in shape) return 'slab'
    return shape.corner.others.length === 1 ? 'quarter' : 'eighth'
  })
  /** Makes the one that is worked on a plane, a slab or a corner towards the eye. */
  function become(kind: Kind) {
    if (kind === 'plane') return change({ shape: 'plane' })
    if (kind === 'slab') return change({ shape: { slab: { thickness_mm: SLAB_MM } } })
    change({ shape: { corner: { others: others(kind === 'quarter' ? 1 : 2) } } })
  }
  /** Directions square to the section's and to each other, towards the eye. */
  function others(count: number): Vec3[] {
    const back = metres(towardsEye().map((x) => x * 1e3) as Vec3)
    const normal = metres(section.value!.normal.map((x) => x * 1e3) as Vec3).normalize()
    const up = metres(Math.abs(normal.z) > 0.9 ? [1e3, 0, 0] : [0, 0, 1e3])
    const first = up.clone().cross(normal).normalize()
    const second = normal.clone().cross(first)
    const facing = [first, second].map((v) => (v.dot(back) < 0 ? v.negate() : v))
    return facing.slice(0, count).map((v) => v.toArray())
  }
  const setThickness = (thickness_mm: number) => change({ shape: { slab: { thickness_mm } } })

  /** Cuts these no more, or again if all of them are left whole already. */
  function toggleUncut(items: Iterable<string> = what.selected) {
    const all = [...items].flatMap((i) => cell.family(i))
    const uncut = new Set(cuts.value.uncut)
    const whole = all.every((i) => uncut.has(i))
    for (const item of all) {
      if (whole) uncut.delete(item)
      else uncut.add(item)
    }
    take({ ...cuts.value, uncut })
  }

  /** Sections with a name. */
  const kept = computed(() => cell.cell?.document.sections ?? [])
  /** Keeps the one that is worked on. */
  const keep = (name: string) =>
    cell.edit({
      edit: 'save_section',
      section: { id: crypto.randomUUID(), name, section: section.value! },
    })
  const forgetKept = (id: string) => cell.edit({ edit: 'delete_section', section: id })

  // What a cut moved with may be gone, or it is another cell.
  watch(
    () => cell.items,
    (items) => {
      const stay = sections.value.filter((s) => !s.fixed_to || items.has(s.fixed_to))
      if (stay.length < sections.value.length) takeSections(stay)
    },
  )

  let asked = 0
  let busy = false
  async function ask(overlaps: boolean) {
    const time_s = when.time
    const items = [...what.visible].filter((i) => !cuts.value.uncut.has(i))
    const joints_deg_or_mm = jog.tried
    const body = { sections: sections.value, items, overlaps, time_s, joints_deg_or_mm }
    const params = { path: { id: cell.cell!.id } }
    const request = api.POST('/api/cells/{id}/section', { params, body })
    const found = await answer(request).catch(() => null)
    return { found, at: found && time_s }
  }
  function show({ found, at }: Awaited<ReturnType<typeof ask>>) {
    faces.value = found
    facesAt.value = at
  }
  const forget = () => show({ found: null, at: null })
  const wanted = () => sections.value.length && cell.cell
  async function cutFaces() {
    asked++
    if (busy) return
    busy = true
    try {
      while (asked && wanted()) {
        asked = 0
        show(await ask(false))
        if (asked || !wanted()) continue
        // Where items overlap is found once nothing moves.
        const all = await ask(true)
        if (!asked) show(all)
      }
      if (!wanted()) forget()
    } finally {
      busy = false
    }
  }
  watch([cuts, () => what.visible, () => when.time, () => jog.answer], () => {
    if (sections.value.length) void cutFaces()
    else forget()
  })

  return {
    cuts,
    sections,
    section,
    at,
    faces,
    drawnAt,
    placed,
    nodeOf,
    kind,
    take,
    change,
    add,
    remove,
    clear,
    toggle,
    addNew,
    addAlongView,
    addAlong,
    through,
    addThrough,
    goThrough,
    addSquareTo,
    fixTo,
    shift,
    flip,
    squareTo,
    become,
    setThickness,
    toggleUncut,
    kept,
    keep,
    forgetKept,
  }
})

type Metres = ReturnType<typeof metres>

/** The axis that a direction runs along exactly, as far as numbers tell; -1 if none. */
export function axisOf(normal: readonly number[]): number {
  const length = Math.hypot(...normal)
  const is = (axis: number) =>
    normal.every((x, i) => (i === axis ? x !== 0 : Math.abs(x) <= 1e-9 * length))
  return [0, 1, 2].findIndex(is)
}

/** A section taken along with a frame. */
function moved(section: Section, frame: ReturnType<typeof matrixOf>): Section {
  const turned = (v: readonly number[]) =>
    metres([...v].map((x) => x * 1e3) as Vec3)
      .transformDirection(frame)
      .toArray()
  const { shape } = section
  const corner = shape && typeof shape === 'object' && 'corner' in shape ? shape.corner : null
  return {
    ...section,
    point_mm: metres(section.point_mm)
      .applyMatrix4(frame)
      .toArray()
      .map((m) => m * 1e3),
    normal: turned(section.normal),
    ...(corner && { shape: { corner: { others: corner.others.map(turned) } } }),
  }
}
