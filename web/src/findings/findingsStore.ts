import { useDebounceFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Findings, type Pair, type Schemas } from '../api/client'
import type { LiveEvent } from '../api/live'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useWhere } from '../where/whereStore'
import { useSection } from '../where/sectionStore'
import { useNotices } from '../cell/noticesStore'
import { pairKey } from './verdicts'

/** The stretch (s) in which the rule is broken round the closest approach. */
export function stretchOf({ broken, time_s }: Pick<Pair, 'broken' | 'time_s'>): [number, number] {
  const around = broken.find((b) => b.start_s[0]! <= time_s && time_s <= b.end_s[1]!)
  return around ? [around.start_s[0]!, around.end_s[1]!] : [time_s, time_s]
}

/** What was measured and what breaks a rule. */
export const useFindings = defineStore('findings', () => {
  const cell = useCell()
  const notices = useNotices()
  const settings = useSettings()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const section = useSection()

  /** Which list is looked at. */
  const tab = ref<'clearance' | 'reach' | 'measured' | 'overlap' | 'access'>('clearance')
  const findings = shallowRef<Findings | null>(null)
  /** Its pairs as far as they were asked for, worst first. */
  const pairs = shallowRef<Pair[]>([])
  /** How many there are in all. */
  const count = computed(() => {
    const counts = findings.value?.counts
    return counts ? counts.broken + counts.not_certified + counts.tight + counts.meets : 0
  })
  /** Fingerprint of the model that the findings were made of. */
  const madeOf = ref<string | null>(null)
  /** Changes with what was found and with the names in it. */
  let tag: string | null = null
  const fresh = computed(() => madeOf.value === cell.cell?.fingerprint)
  const job = ref<Schemas['RunningJob'] | null>(null)
  /** Why a sweep that was begun will not end. */
  const lost = ref<string | null>(null)
  /** What is certain of the model as it is, while no sweep of it has ended. */
  const certain = shallowRef<Schemas['CertainAlready'] | null>(null)
  /** Why there are findings that can't be shown. */
  const unreadable = ref<string | null>(null)
  const shown = shallowRef<Pair | null>(null)
  /** How deep the two bodies of the finding shown overlap where they do most. */
  const depth = shallowRef<Schemas['OverlapAnswer'] | null>(null)
  /** Where the open body of the evidence that is looked at is open: ends of edges, mm. */
  const openEdges = shallowRef<number[][][]>([])
  const path = () => ({ params: { path: { id: cell.cell!.id } } })

  /** Counts what was asked: an answer that comes after a later question is nobody's. */
  let turn = 0
  /** Asks how the last sweep stands; what it found is fetched only when that is something else. */
  async function load() {
    const mine = ++turn
    const last = await answer(api.GET('/api/cells/{id}/sweep', path()))
    if (mine !== turn) return
    job.value = last.running ?? null
    lost.value = last.lost ?? null
    void askWhatIsCertain(last.fresh || !!last.running, () => mine === turn)
    if ((last.tag ?? null) === tag) return
    await fetchFindings(last.fingerprint ?? null, () => mine === turn)
    if (mine !== turn) return
    tag = last.tag ?? null
    madeOf.value = last.fingerprint ?? null
  }
  async function askWhatIsCertain(needless: boolean, wanted: () => boolean) {
    if (needless) return (certain.value = null)
    const found = await answer(api.GET('/api/cells/{id}/certain', path())).catch(() => null)
    if (wanted()) certain.value = found?.looked_at ? found : null
  }
  async function fetchFindings(fingerprint: string | null, wanted: () => boolean) {
    unreadable.value = null
    const none = () => {
      findings.value = null
      pairs.value = []
    }
    if (!fingerprint) return none()
    // What there is stays until the other is here.
    const request = { params: { path: { id: cell.cell!.id }, query: { fingerprint } } }
    try {
      const found = await answer(api.GET('/api/cells/{id}/findings', request))
      if (!wanted()) return
      findings.value = found
      pairs.value = found.pairs
    } catch (e) {
      if (!wanted()) return
      none()
      unreadable.value = (e as Error).message
    }
  }
  /** Fetches the next page of pairs; whether there was one. */
  async function more(): Promise<boolean> {
    if (!madeOf.value || pairs.value.length >= count.value) return false
    const query = { fingerprint: madeOf.value, from: pairs.value.length }
    const request = { params: { path: { id: cell.cell!.id }, query } }
    const page = await answer(api.GET('/api/cells/{id}/findings/pairs', request))
    pairs.value = [...pairs.value, ...page]
    return page.length > 0
  }
  /** Which pairs are listed: those called so in part, of that verdict; all where both are empty. */
  const wanted = ref<{ called: string; verdict: Schemas['Verdict'] | '' }>({
    called: '',
    verdict: '',
  })
  const isFiltered = computed(() => !!(wanted.value.called.trim() || wanted.value.verdict))
  /** Those that are wanted, as far as they were asked for; nothing while they come. */
  const filtered = shallowRef<Pair[] | null>(null)
  /** Whether there may be more of them. */
  const moreFiltered = ref(false)
  const PAGE = 100
  let sought = 0
  async function filter(from = 0) {
    const mine = ++sought
    if (!isFiltered.value || !madeOf.value) return (filtered.value = null)
    const { called, verdict } = wanted.value
    const query = { fingerprint: madeOf.value, from, called: called.trim() }
    const params = { path: { id: cell.cell!.id } }
    const request = { params: { ...params, query: verdict ? { ...query, verdict } : query } }
    const page = await answer(api.GET('/api/cells/{id}/findings/pairs', request)).catch(() => [])
    if (mine !== sought) return
    // Those that are here already stay the same, so that what is shown is found among them.
    const known = new Map(pairs.value.map((p) => [pairKey(p), p]))
    const own = page.map((p) => known.get(pairKey(p)) ?? p)
    filtered.value = from ? [...(filtered.value ?? []), ...own] : own
    moreFiltered.value = page.length === PAGE
  }
  const filterSoon = useDebounceFn(() => filter(), 150)
  const called = () => wanted.value.called
  const verdict = () => wanted.value.verdict
  watch([called, verdict, madeOf, pairs], () => void filterSoon())
  const filterOn = () => filter(filtered.value?.length ?? 0)
  /** The first pair that `is` says, on whatever page it stands. */
  async function find(is: (pair: Pair) => boolean): Promise<Pair | undefined> {
    for (;;) {
      const found = pairs.value.find(is)
      if (found || !(await more())) return found
    }
  }
  // After an undo it may be an earlier sweep that fits again; after a new name it is told by that.
  watch(
    [() => cell.cell?.id, () => cell.cell?.fingerprint, () => cell.cell?.names],
    ([id], [before]) => {
      if (id && id === before) void load()
    },
  )
  /** The model that was swept last, or tried to be. */
  let tried: string | undefined
  async function sweep() {
    tried = cell.cell?.fingerprint
    try {
      await answer(api.POST('/api/cells/{id}/sweep', path()))
      // It may have ended before the answer came.
      await load()
    } catch (e) {
      notices.say(e)
    }
  }
  /** Edits that follow each other quickly are swept together. */
  const PAUSE_MS = 500
  const sweepSoon = useDebounceFn(() => {
    const now = cell.cell?.fingerprint
    // What was stopped by hand or can't be run is not begun again by itself.
    if (!now || fresh.value || job.value || tried === now) return
    if (settings.sweeping.byItself) void sweep()
  }, PAUSE_MS)
  watch(
    [() => cell.cell?.fingerprint, () => settings.sweeping.byItself, () => !!job.value],
    () => void sweepSoon(),
  )
  async function stop() {
    if (!job.value) return
    await api.DELETE('/api/jobs/{job}', { params: { path: { job: job.value.id } } })
    // Whoever worked on it may be gone, and will not say that it has ended.
    await load()
  }
  function heard(event: Extract<LiveEvent, { event: 'job' }>) {
    if (event.state === 'running') {
      job.value = {
        id: event.job,
        done: event.done,
        total: event.total,
        elapsed_s: event.elapsed_s,
        waiting: false,
      }
    } else {
      job.value = null
      if (event.state === 'stopped')
        notices.say('The sweep was stopped. What it has found by then is told as certain already.')
      void load()
    }
  }

  /** What was shown and cut before the evidence was looked at. */
  let before: { shown: ReturnType<typeof what.shownNow>; cuts: typeof section.cuts } | null = null
  let looked = 0
  /** Goes to a closest approach: its pose, both items isolated, the camera square to the gap. */
  async function showEvidence(pair: Pair) {
    const mine = ++looked
    when.pause()
    when.goTo(pair.time_s)
    const body = { on_a_mm: pair.on_a_mm, on_b_mm: pair.on_b_mm, viewpoint: where.viewpoint }
    const evidence = await answer(api.POST('/api/evidence', { body }))
    // Another was clicked meanwhile.
    if (mine !== looked) return
    before ??= { shown: what.shownNow(), cuts: section.cuts }
    shown.value = pair
    what.select(null)
    what.isolateOnly([pair.a.item, pair.b.item])
    section.take({ sections: [evidence.section], uncut: new Set() })
    where.goTo(evidence.viewpoint)
    openEdges.value = []
    depth.value = null
    if (pair.overlap) void measureDepth(pair)
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
  async function measureDepth(pair: Pair) {
    const body = { a: pair.a, b: pair.b, during_s: stretchOf(pair) }
    const found = await answer(api.POST('/api/cells/{id}/overlap', { ...path(), body }))
    if (shown.value === pair) depth.value = found
  }
  /** To the closest approach after (1) or before (−1) the one that is shown, the worst first. */
  async function step(by: 1 | -1) {
    const listed = () => (isFiltered.value ? (filtered.value ?? []) : pairs.value)
    const at = shown.value ? listed().indexOf(shown.value) + by : 0
    if (at >= listed().length) await (isFiltered.value ? filterOn() : more())
    const pair = listed()[at]
    if (!pair) return
    tab.value = 'clearance'
    await showEvidence(pair)
  }
  function leaveEvidence() {
    looked++
    shown.value = null
    openEdges.value = []
    what.context = new Set()
    if (before) {
      what.showJust(before.shown)
      section.take(before.cuts)
    }
    before = null
    where.goBack()
  }

  return {
    tab,
    findings,
    pairs,
    count,
    fresh,
    madeOf,
    job,
    lost,
    certain,
    unreadable,
    shown,
    openEdges,
    depth,
    load,
    wanted,
    isFiltered,
    filtered,
    moreFiltered,
    filterOn,
    more,
    find,
    sweep,
    stop,
    heard,
    showEvidence,
    step,
    leaveEvidence,
  }
})
