import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { basis, eye } from '../scene/navigation'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useWhere } from '../where/whereStore'
import { useMeasure } from './measureStore'

/** From where one looks: this view, a saved one (by id), or each place's own direction. */
export type From = 'view' | 'own' | keyof typeof directions | `saved ${string}`

/** From far away, on a side of the cell. */
export const directions = {
  above: [0, 0, 1],
  below: [0, 0, -1],
  'the front': [0, -1, 0],
  'the back': [0, 1, 0],
  'the right': [1, 0, 0],
  'the left': [-1, 0, 0],
} as const

/** Drawn so many mm long where a cone goes on for ever. */
const DRAWN_MM = 400
const ROUND = 48

/** What can be seen or come to in a straight line, where everything stood when one looked. */
export const useAccess = defineStore('access', () => {
  const cell = useCell()
  const notices = useNotices()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const jog = useJog()
  const measure = useMeasure()

  const from = ref<From>('view')
  const rod = reactive({ diameter_mm: 0, length_mm: 300, tip_mm: 20 })
  /** Whose targets are judged. */
  const program = ref<string | null>(null)
  /** Whether robots and what they carry stand in the way. */
  const robotsCount = ref(false)
  const found = shallowRef<Schemas['AccessAnswer'] | null>(null)
  const cone = shallowRef<Schemas['ConeAnswer'] | null>(null)
  const looking = ref(false)
  /** When that was, s, and of what. */
  const foundAt = ref(0)
  const foundOf = ref('')
  /** All that it rests on: where everything stood, what was in the way, with what one came. */
  const restsOn = computed(() =>
    JSON.stringify([when.time, jog.tried, [...what.visible], rod, robotsCount.value]),
  )
  const foundWith = ref('')

  const tool = () =>
    rod.diameter_mm > 0 ? { ...rod } : { diameter_mm: 0, length_mm: null, tip_mm: 0 }
  /** What is hidden is not in the way; nor are robots and what they carry, unless wanted. */
  function without(): string[] {
    const all = cell.cell!.document.items
    const robots = robotsCount.value ? [] : all.filter((i) => i.role === 'robot')
    const carried = new Set(robots.flatMap((i) => cell.family(i.id)))
    return all.map((i) => i.id).filter((id) => !what.visible.has(id) || carried.has(id))
  }
  const now = () => ({ time_s: when.time, joints_deg_or_mm: jog.tried })
  const params = () => ({ path: { id: cell.cell!.id } })

  function fromNow(): Schemas['AccessFrom'] {
    if (from.value === 'own') return 'own'
    const [side] = Object.entries(directions).filter(([name]) => name === from.value)
    if (side) return { towards: [...side[1]] }
    const saved = cell.cell!.document.views?.find((v) => `saved ${v.id}` === from.value)
    const view = saved?.viewpoint ?? where.viewpoint
    return view.projection === 'parallel' ? { towards: basis(view).back } : { from_mm: eye(view) }
  }
  async function look() {
    looking.value = true
    const items = from.value === 'own' ? [] : [...what.selected]
    const names = items.map((id) => cell.items.get(id)?.name ?? id)
    const body = {
      from: fromNow(),
      rod: tool(),
      items,
      picks: measure.picks.filter((p) => p.kind !== 'item'),
      program: program.value,
      without: without(),
      ...now(),
    }
    try {
      const [time_s, on] = [when.time, restsOn.value]
      if (on !== foundWith.value) forget()
      found.value = await answer(api.POST('/api/cells/{id}/access', { params: params(), body }))
      foundAt.value = time_s
      foundOf.value = names.join(', ')
      foundWith.value = on
    } catch (e) {
      notices.say(e)
    } finally {
      looking.value = false
    }
  }
  /** The free directions at the first place that is picked. */
  async function findCone() {
    const pick = measure.picks.find((p) => p.kind !== 'item')
    if (!pick) return
    looking.value = true
    const body = { pick, rod: tool(), without: without(), ...now() }
    try {
      const [time_s, on] = [when.time, restsOn.value]
      if (on !== foundWith.value) forget()
      cone.value = await answer(api.POST('/api/cells/{id}/access-cone', { params: params(), body }))
      foundAt.value = time_s
      foundWith.value = on
    } catch (e) {
      notices.say(e)
    } finally {
      looking.value = false
    }
  }
  function forget() {
    found.value = null
    cone.value = null
  }
  watch([() => cell.cell?.id, () => cell.cell?.revision], forget)
  watch(
    () => cell.cell?.id,
    () => {
      from.value = 'view'
      program.value = null
    },
  )
  watch(
    () => measure.picks,
    () => (cone.value = null),
  )

  /** All is drawn only while nothing that it rests on has changed. */
  const isNow = computed(() => restsOn.value === foundWith.value)
  const shaded = computed(() => {
    const faces = found.value?.faces
    if (!faces || !isNow.value) return null
    return { free: faces.free_triangles_mm, blocked: faces.blocked_triangles_mm }
  })
  const lines = computed((): Vec3[][] => {
    const shown = cone.value
    if (!shown?.axis || !isNow.value) return []
    const length = rod.diameter_mm > 0 ? rod.length_mm : DRAWN_MM
    return coneLines(shown.at_mm as Vec3, shown.axis as Vec3, shown.half_angle_deg, length)
  })

  return {
    from,
    rod,
    program,
    robotsCount,
    found,
    cone,
    looking,
    foundAt,
    foundOf,
    isNow,
    shaded,
    lines,
    look,
    findCone,
    forget,
  }
})

/** A cone as it is drawn: its rim, and lines to it from its tip, mm. */
export function coneLines(tip: Vec3, axis: Vec3, halfAngle_deg: number, length: number): Vec3[][] {
  const off = (halfAngle_deg * Math.PI) / 180
  const aside: Vec3 = Math.abs(axis[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]
  const u = unit(cross(axis, aside))
  const v = cross(axis, u)
  const at = (turn: number): Vec3 => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)]
    const out = (i: number) => axis[i]! * Math.cos(off) + (u[i]! * c + v[i]! * s) * Math.sin(off)
    return [0, 1, 2].map((i) => tip[i]! + out(i) * length) as Vec3
  }
  const turns = [...Array(ROUND + 1).keys()].map((i) => (i * 2 * Math.PI) / ROUND)
  const rim = turns.map(at)
  const sides = [0, 1, 2, 3].map((i) => [tip, at((i * Math.PI) / 2)])
  const middle = [0, 1, 2].map((i) => tip[i]! + axis[i]! * length) as Vec3
  return [rim, ...sides, [tip, middle]]
}

const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
function unit(v: Vec3): Vec3 {
  const length = Math.hypot(...v)
  return v.map((x) => x / length) as Vec3
}
