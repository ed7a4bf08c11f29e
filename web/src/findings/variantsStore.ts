import { useThrottleFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useNotices } from '../cell/noticesStore'
import { useWhat } from '../what/whatStore'

export type Variant = Schemas['VariantState']
export type Found = Extract<Variant['outcome'], { outcome: 'swept' }>
type Direction = Schemas['SeriesDirection']

/** Steps along an axis, mm or degrees from where things stand; no direction is no axis. */
export interface Steps {
  direction: Direction | ''
  from: number
  to: number
  count: number
}

/** So many rows are shown at first. */
const PAGE = 50

/** The list is asked for again no more often than this, ms. */
const AGAIN_MS = 250

/** What was found of a variant, if it was swept. */
export const foundOf = ({ outcome }: Variant): Found | null =>
  outcome?.outcome === 'swept' ? outcome : null

/** Variants of the cell: changes that are swept by all workers without being made. */
export const useVariants = defineStore('variants', () => {
  const cell = useCell()
  const moment = useMoment()
  const notices = useNotices()
  const what = useWhat()

  const open = ref(false)
  const all = shallowRef<Variant[]>([])
  const bestFirst = ref(true)
  const steps = reactive<[Steps, Steps]>([
    { direction: 'x', from: -100, to: 100, count: 5 },
    { direction: '', from: -100, to: 100, count: 5 },
  ])
  const params = () => ({ params: { path: { id: cell.cell!.id } } })

  const ordered = computed(() =>
    bestFirst.value ? [...all.value].sort((a, b) => a.place - b.place) : all.value,
  )
  /** How many of them are shown; the rest when asked for. */
  const most = ref(PAGE)
  const shown = computed(() => ordered.value.slice(0, most.value))
  const showMore = () => (most.value += PAGE)
  const wanted = computed(() => all.value.filter((v) => v.wanted).length)
  /** Those that were not swept, or of an older model. */
  const behind = computed(
    () => all.value.filter((v) => !v.wanted && !(v.fresh && v.outcome)).length,
  )
  const along = computed(() => steps.filter((s) => s.direction))
  /** How many places the series has. */
  const places = computed(() =>
    along.value.reduce((n, s) => n * s.count, along.value.length ? 1 : 0),
  )

  /** An answer that comes after a later question is nobody's. */
  let turn = 0
  async function ask(question: () => Promise<Variant[]>) {
    const mine = ++turn
    try {
      const told = await question()
      if (mine === turn) all.value = told
      return true
    } catch (e) {
      if (mine === turn) notices.say(e)
      return false
    }
  }
  async function load() {
    if (!open.value || !cell.cell) return
    await ask(() => answer(api.GET('/api/cells/{id}/variants', params())))
  }
  watch([open, () => cell.cell?.id, () => cell.cell?.fingerprint], () => void load())
  watch([open, () => cell.cell?.id], () => (most.value = PAGE))
  const heard = useThrottleFn(load, AGAIN_MS, true)

  /** Adds the series of places of what is selected. */
  async function add() {
    const body = {
      items: [...what.selected],
      time_s: moment.time,
      along: along.value.map(({ direction, ...s }) => ({ ...s, axis: direction as Direction })),
    }
    return ask(() => answer(api.POST('/api/cells/{id}/variants/series', { ...params(), body })))
  }
  const sweep = () => ask(() => answer(api.POST('/api/cells/{id}/variants/sweep', params())))
  /** What has no answer of its own; the list is asked for afterwards. */
  async function tell(said: Promise<{ error?: unknown }>, otherwise: string) {
    const { error } = await said
    if (error) notices.say(new Error((error as { detail?: string }).detail ?? otherwise))
    await load()
  }
  const stop = () =>
    tell(api.POST('/api/cells/{id}/variants/stop', params()), 'They go on being swept.')
  const clear = () =>
    tell(api.DELETE('/api/cells/{id}/variants', params()), 'They are still there.')
  function remove(variant: Variant) {
    const path = { id: cell.cell!.id, variant: variant.id }
    const gone = api.DELETE('/api/cells/{id}/variants/{variant}', { params: { path } })
    return tell(gone, 'It is still there.')
  }
  /** Makes the change; it can be undone. */
  const apply = (variant: Variant) => cell.edit(variant.edit)

  return {
    open,
    all,
    shown,
    showMore,
    bestFirst,
    steps,
    places,
    wanted,
    behind,
    load,
    heard,
    add,
    sweep,
    stop,
    clear,
    remove,
    apply,
  }
})
