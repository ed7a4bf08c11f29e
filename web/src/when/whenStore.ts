import { defineStore, storeToRefs } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, api, bytes } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'

/** Poses a second in a track and seconds in a part of it, as the server sends them. */
const RATE_HZ = 50
const PART_S = 20
/** So many parts are kept: over ten minutes. */
const KEPT = 32
/** Instants nearer together are one, s. */
const SAME_S = 1e-4

/** At which moment of the programs one looks. */
export const useWhen = defineStore('when', () => {
  const cell = useCell()
  const { time, playing, shownTime } = storeToRefs(useMoment())
  const speed = ref(1)
  /** Parts of the track that are here, by their number. */
  const track = shallowRef<Map<number, Float32Array>>()
  /** Exact poses at a moment that was stopped at. */
  const exact = shallowRef<{ time: number; poses: number[][] }>()

  const duration = computed(() => cell.cell?.path.duration_s ?? 0)

  const partAt = (at: number) => Math.floor(at / PART_S)
  const fetchPart = async (part: number) =>
    new Float32Array(await bytes(`/api/cells/${cell.cell!.id}/track?part=${part}`))
  /** Counts the paths that were shown: what was asked of one before is not drawn. */
  let round = 0
  const coming = new Set<number>()
  async function load() {
    const mine = ++round
    coming.clear()
    track.value = undefined
    const path = cell.cell?.path
    // What can't be driven ends its lane; the rest plays.
    if (path && path.duration_s > 0) {
      const first = partAt(Math.min(time.value, path.duration_s))
      const data = await fetchPart(first)
      if (mine === round) track.value = new Map([[first, data]])
    }
    if (time.value > duration.value) time.value = 0
  }
  /** Sees to it that a part of the track comes; it is drawn when it is here. */
  async function want(part: number) {
    if (!track.value || track.value.has(part) || coming.has(part) || part * PART_S > duration.value)
      return
    const mine = round
    coming.add(part)
    try {
      const data = await fetchPart(part)
      if (mine === round)
        track.value = new Map([...track.value.entries(), [part, data] as const].slice(-KEPT))
    } catch {
      // It is asked for again when it is needed.
    } finally {
      if (mine === round) coming.delete(part)
    }
  }

  function goTo(to: number) {
    time.value = Math.min(duration.value, Math.max(0, to))
    if (!playing.value) void settle()
  }
  async function settle() {
    const [at, id] = [time.value, cell.cell?.id]
    if (!id || !track.value) return
    const poses = await answer(
      api.GET('/api/cells/{id}/poses', { params: { path: { id }, query: { time_s: at } } }),
    ).catch(() => undefined)
    if (poses && at === time.value) exact.value = { time: at, poses }
  }

  /** To where the next move (1) begins or ends, or the one before (−1). */
  function step(by: 1 | -1) {
    const runs = cell.cell?.path.runs ?? []
    const ends = runs.flatMap((run) => [...run.starts_s, ...run.ends_s])
    const ahead = ends.filter((t) => (t - time.value) * by > SAME_S)
    pause()
    if (ahead.length)
      goTo(by > 0 ? ahead.reduce((a, b) => Math.min(a, b)) : ahead.reduce((a, b) => Math.max(a, b)))
  }

  let stepping = 0
  /** To the next knot (1) or the one before (−1): between two of them every joint goes straight. */
  async function stepKnot(by: 1 | -1) {
    const mine = ++stepping
    pause()
    const request = { params: { path: { id: cell.cell!.id }, query: { time_s: time.value } } }
    const about = await answer(api.GET('/api/cells/{id}/knots', request)).catch(() => null)
    const to = by > 0 ? about?.after_s : about?.before_s
    if (mine === stepping && typeof to === 'number') goTo(to)
  }

  let last = 0
  function tick(now: number) {
    if (!playing.value) return
    const next = time.value + (Math.max(0, now - last) / 1000) * speed.value
    last = now
    if (next >= duration.value) {
      time.value = duration.value
      pause()
      return
    }
    time.value = next
    void want(partAt(next) + 1)
    requestAnimationFrame(tick)
  }
  function play() {
    if (!track.value || playing.value) return
    if (time.value >= duration.value) time.value = 0
    playing.value = true
    last = performance.now()
    requestAnimationFrame(tick)
  }
  function pause() {
    playing.value = false
    void settle()
  }
  const togglePlay = () => (playing.value ? pause() : play())

  /** Poses of what moves, now if not told when: between the samples of the track, or exact. */
  function posesNow(now = time.value): ArrayLike<number>[] {
    const nodes = cell.cell?.moving_nodes.length ?? 0
    if (exact.value?.time === now && exact.value.poses.length === nodes) return exact.value.poses
    const part = partAt(now)
    const data = track.value?.get(part)
    if (!data?.length || !nodes) {
      void want(part)
      return exact.value?.poses.length === nodes ? exact.value.poses : []
    }
    const count = data.length / 7 / nodes
    const at = Math.min(count - 1, (now - part * PART_S) * RATE_HZ)
    const [first, share] = [Math.floor(at), at - Math.floor(at)]
    const second = Math.min(count - 1, first + 1)
    return Array.from({ length: nodes }, (_, n) => {
      const [a, b] = [(first * nodes + n) * 7, (second * nodes + n) * 7]
      const sign = [3, 4, 5, 6].reduce((s, i) => s + data[a + i]! * data[b + i]!, 0) < 0 ? -1 : 1
      return [0, 1, 2, 3, 4, 5, 6].map(
        (i) => data[a + i]! * (1 - share) + data[b + i]! * (i > 2 ? sign : 1) * share,
      )
    })
  }

  return {
    time,
    playing,
    speed,
    track,
    exact,
    duration,
    shownTime,
    load,
    goTo,
    play,
    pause,
    togglePlay,
    step,
    stepKnot,
    posesNow,
  }
})

/** mm:ss.mmm */
export function clock(seconds: number): string {
  const ms = Math.round(seconds * 1000)
  const pad = (n: number, digits: number) => String(n).padStart(digits, '0')
  const [whole, minutes] = [Math.floor(ms / 1000) % 60, Math.floor(ms / 60000)]
  return `${pad(minutes, 2)}:${pad(whole, 2)}.${pad(ms % 1000, 3)}`
}
