import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, api, type Findings, type Pair, type Schemas } from '../api/client'
import type { LiveEvent } from '../api/live'
import { useCell } from '../cells/cellStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useWhere } from '../where/whereStore'
import { useSection } from './sectionStore'

/** What was measured and what breaks a rule. */
export const useFindings = defineStore('findings', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const section = useSection()

  const findings = shallowRef<Findings | null>(null)
  /** Fingerprint of the model that the findings were made of. */
  const madeOf = ref<string | null>(null)
  const fresh = computed(() => madeOf.value === cell.cell?.fingerprint)
  const job = ref<Schemas['RunningJob'] | null>(null)
  /** A sweep was begun that neither ended nor runs. */
  const lost = ref(false)
  /** There are findings that this version can't read. */
  const unreadable = ref(false)
  const shown = shallowRef<Pair | null>(null)
  /** Where the open body of the evidence that is looked at is open: ends of edges, mm. */
  const openEdges = shallowRef<number[][][]>([])
  const reach = shallowRef<{ from: string; to: string; series: Schemas['ReachSeries'] } | null>(
    null,
  )

  const path = () => ({ params: { path: { id: cell.cell!.id } } })

  async function load() {
    const last = await answer(api.GET('/api/cells/{id}/sweep', path()))
    findings.value = last.findings ?? null
    madeOf.value = last.fingerprint ?? null
    job.value = last.running ?? null
    lost.value = last.lost
    unreadable.value = last.unreadable
  }
  async function sweep() {
    try {
      await answer(api.POST('/api/cells/{id}/sweep', path()))
      // It may have ended before the answer came.
      await load()
    } catch (e) {
      cell.notice = (e as Error).message
    }
  }
  async function stop() {
    if (job.value) await api.DELETE('/api/jobs/{job}', { params: { path: { job: job.value.id } } })
  }
  function heard(event: Extract<LiveEvent, { event: 'job' }>) {
    if (event.state === 'running') {
      job.value = {
        id: event.job,
        done: event.done,
        total: event.total,
        elapsed_s: event.elapsed_s,
      }
    } else {
      job.value = null
      if (event.state === 'stopped')
        cell.notice = 'The sweep was stopped; the findings are those of the sweep before.'
      void load()
    }
  }

  /** What was shown and cut before the evidence was looked at. */
  let before: { shown: ReturnType<typeof what.shownNow>; section: typeof section.section } | null =
    null
  /** Goes to a closest approach: its pose, both items isolated, the camera square to the gap. */
  async function showEvidence(pair: Pair) {
    when.pause()
    when.goTo(pair.time_s)
    const body = { on_a_mm: pair.on_a_mm, on_b_mm: pair.on_b_mm, viewpoint: where.viewpoint }
    const evidence = await answer(api.POST('/api/evidence', { body }))
    before ??= { shown: what.shownNow(), section: section.section }
    shown.value = pair
    what.select(null)
    what.isolateOnly([pair.a.item, pair.b.item])
    section.section = evidence.section
    where.goTo(evidence.viewpoint)
    openEdges.value = []
    if (!pair.open) return
    const { item, link } = pair.open
    const edges = await answer(
      api.POST('/api/cells/{id}/open-edges', {
        ...path(),
        body: { item, link, time_s: pair.time_s },
      }),
    )
    if (shown.value === pair) openEdges.value = edges.ends_mm
  }
  function leaveEvidence() {
    shown.value = null
    openEdges.value = []
    if (before) {
      what.showJust(before.shown)
      section.section = before.section
    }
    before = null
    where.goBack()
  }

  async function measureReach(from: string, to: string) {
    const request = { params: { path: { id: cell.cell!.id }, query: { from, to } } }
    reach.value = { from, to, series: await answer(api.GET('/api/cells/{id}/reach', request)) }
  }
  /** The measured reach at the play head. */
  const reachNow = computed(() => {
    if (!reach.value) return null
    const { series } = reach.value
    const at = Math.min(series.straight_mm.length - 1, Math.round(when.time / series.step_s))
    return {
      straight: series.straight_mm[at]!,
      horizontal: series.horizontal_mm[at]!,
      vertical: series.vertical_mm[at]!,
    }
  })

  return {
    findings,
    fresh,
    job,
    lost,
    unreadable,
    shown,
    openEdges,
    reach,
    reachNow,
    load,
    sweep,
    stop,
    heard,
    showEvidence,
    leaveEvidence,
    measureReach,
  }
})
