import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useWhere } from '../where/whereStore'

export type Pick = Schemas['PickDocument']
export type Known = Schemas['Known']
export type Span = Schemas['Span']

/** Where the pointer meets a body, and how much a few pixels are there. */
export interface Met {
  item: string
  body?: number
  triangle?: number
  at: Vec3
  near_mm: number
  cut?: boolean
}

/** A spot is measured where it is, an item with all it has. */
export type Wanted = 'nearest' | 'spot' | 'item'

/** Spans that can be shown in the picture. */
export type SpanName = 'smallest' | 'largest' | 'middles' | 'carriers'

/** One thing picked, or two, and what is measured of them wherever everything stands. */
export const useMeasure = defineStore('measure', () => {
  const cell = useCell()
  const notices = useNotices()
  const when = useWhen()
  const where = useWhere()
  const jog = useJog()

  const picks = shallowRef<Pick[]>([])
  /** In whose frame coordinates are told. */
  const frame = ref<string | null>(null)
  const measured = shallowRef<Schemas['Measured'] | null>(null)
  /** Why nothing can be measured. */
  const refused = ref('')
  /** What a click would take. */
  const aimed = shallowRef<{ pick: Pick; known: Known } | null>(null)
  /** The span that is pointed at in the list. */
  const pointedAt = ref<SpanName | null>(null)

  /** The leg of a chain that is pointed at. */
  const pointedLeg = ref<number | null>(null)

  const picking = computed(() => where.asking === 'measure')
  function toggle() {
    where.asking = picking.value ? null : 'measure'
  }
  const set = (to: Pick[]) => (picks.value = to)
  const clear = () => set([])
  const swap = () => set([...picks.value].reverse())
  const remove = (index: number) => set(picks.value.filter((_, i) => i !== index))
  /** Takes one more; after two a new measurement begins, unless it is to be a chain. */
  function take(pick: Pick, chained = false) {
    const full = picks.value.length >= 2
    set(full && !chained ? [pick] : [...picks.value, pick])
  }
  /** Puts one in its place. */
  function put(index: number, pick: Pick) {
    set(picks.value.length > index ? picks.value.with(index, pick) : [...picks.value, pick])
  }

  const now = () => ({ time_s: when.time, joints_deg_or_mm: jog.tried })
  const path = () => ({ params: { path: { id: cell.cell!.id } } })

  /** What is meant where the pointer is. */
  async function meant(met: Met, wanted: Wanted): Promise<Pick> {
    const { item, body, triangle, at, near_mm } = met
    // A cut face is no face of the body: all of it is meant.
    if (wanted === 'item' || met.cut) return { on: item, kind: 'item' }
    if (body === undefined || triangle === undefined) return { on: item, kind: 'frame' }
    const near = wanted === 'spot' ? 0 : near_mm
    const request = { body, triangle, at_mm: at, near_mm: near, frame: frame.value, ...now() }
    const found = await answer(api.POST('/api/cells/{id}/pick', { ...path(), body: request }))
    return wanted === 'spot' ? spotOf(found.pick) : found.pick
  }
  const spotOf = ({ on, at_mm }: Pick): Pick => ({ on, kind: 'spot', at_mm })
  let clicksBefore: Promise<void> = Promise.resolve()
  /** Takes what is meant, after what was clicked before, however long that takes to be found. */
  function click(met: Met, wanted: Wanted, chained = false): Promise<void> {
    const before = clicksBefore
    const taken = async () => {
      const pick = await meant(met, wanted).catch((e: unknown) => void notices.say(e))
      await before
      if (pick) take(pick, chained)
    }
    return (clicksBefore = taken())
  }

  /** What is nearest to the one thing that is picked, once it was asked for. */
  const neighbours = shallowRef<Schemas['Near'][] | null>(null)
  async function findNeighbours() {
    const [pick] = picks.value
    if (!pick) return
    try {
      const body = { pick, ...now() }
      const found = await answer(api.POST('/api/cells/{id}/nearest', { ...path(), body }))
      if (picks.value.length === 1 && picks.value[0] === pick) neighbours.value = found
    } catch (e) {
      notices.say(e)
    }
  }
  watch(picks, () => (neighbours.value = null))

  let next: { met: Met; wanted: Wanted } | null = null
  let looking = false
  /** Shows what a click would take; the latest place counts. */
  async function aim(met: Met | null, wanted: Wanted) {
    next = met && { met, wanted }
    if (!met) aimed.value = null
    if (looking) return
    looking = true
    while (next && picking.value) {
      const { met, wanted } = next
      next = null
      const found = await aimedAt(met, wanted).catch(() => null)
      if (!next && picking.value) aimed.value = found
    }
    looking = false
  }
  async function aimedAt(met: Met, wanted: Wanted) {
    const pick = await meant(met, wanted)
    const body = { picks: [pick], frame: frame.value, ...now() }
    const found = await answer(api.POST('/api/cells/{id}/measure', { ...path(), body }))
    return { pick, known: found.known[0]! }
  }

  let asked = false
  let busy = false
  async function measure() {
    asked = true
    if (busy) return
    busy = true
    while (asked && cell.cell && picks.value.length) {
      asked = false
      // Volumes are worked out once nothing moves.
      const volumes = !when.playing
      const body = { picks: picks.value, frame: frame.value, volumes, ...now() }
      try {
        measured.value = await answer(api.POST('/api/cells/{id}/measure', { ...path(), body }))
        refused.value = ''
      } catch (e) {
        measured.value = null
        refused.value = (e as Error).message
      }
    }
    busy = false
    if (!picks.value.length) forget()
  }
  function forget() {
    measured.value = null
    refused.value = ''
  }
  watch(
    [
      picks,
      frame,
      () => when.time,
      () => when.playing,
      () => jog.answer,
      () => cell.cell?.revision,
    ],
    () => void (picks.value.length ? measure() : forget()),
  )
  watch(
    () => cell.cell?.id,
    () => {
      clear()
      frame.value = null
    },
  )
  watch(picking, (on) => {
    if (!on) aimed.value = null
  })

  /** The spans between two, as far as there are. */
  const spans = computed((): Partial<Record<SpanName, Span>> => {
    const between = measured.value?.between
    if (!between) return {}
    const { smallest, largest, middles, carriers } = between
    const all = { smallest, largest, middles, carriers: carriers?.distance }
    return Object.fromEntries(Object.entries(all).filter(([, span]) => span))
  })
  /** The one drawn in the picture: what is pointed at, else the smallest. */
  const shownSpan = computed((): Span | null => {
    const leg = measured.value?.chain?.legs[pointedLeg.value ?? -1]
    if (leg) return leg
    const pointed = pointedAt.value && spans.value[pointedAt.value]
    return pointed ?? spans.value.smallest ?? null
  })
  /** Between frames and targets, the legs along the floor and upwards. */
  const corner = computed((): Vec3[][] => {
    const { known, between } = measured.value ?? {}
    const isFrame = (k: Known) => k.is === 'frame' || k.is === 'target'
    if (!between || !known?.every(isFrame)) return []
    const { smallest } = between
    const [from, to] = [smallest.from_mm, smallest.to_mm] as [Vec3, Vec3]
    return [[from, [to[0], to[1], from[2]], to]]
  })
  /** Lines and points (mm) that show what was picked, and what a click would take. */
  const drawn = computed(() => {
    const known = [...(measured.value?.known ?? []), ...(aimed.value ? [aimed.value.known] : [])]
    const legs = (measured.value?.chain?.legs ?? []).map((leg) => [leg.from_mm, leg.to_mm])
    return {
      lines: [...known.flatMap((k) => k.lines_mm), ...legs, ...corner.value] as Vec3[][],
      points: known.flatMap((k) => k.points_mm) as Vec3[],
    }
  })

  return {
    picks,
    frame,
    measured,
    refused,
    aimed,
    neighbours,
    findNeighbours,
    pointedAt,
    pointedLeg,
    corner,
    picking,
    spans,
    shownSpan,
    drawn,
    toggle,
    set,
    clear,
    swap,
    remove,
    put,
    click,
    aim,
  }
})
