import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Tour, type TourStop, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useWhen } from '../when/whenStore'
import { between, eye } from '../scene/navigation'
import { useViews } from './viewsStore'
import { useWhere } from './whereStore'

/** Saved views joined in time. The camera's way is the core's. */
export const useTours = defineStore('tours', () => {
  const cell = useCell()
  const where = useWhere()
  const when = useWhen()
  const views = useViews()

  const tours = computed(() => cell.cell?.document.tours ?? [])
  const openId = ref<string | null>(null)
  const tour = computed(() => tours.value.find((t) => t.id === openId.value) ?? null)
  const track = shallowRef<Schemas['TourTrack'] | null>(null)
  const fault = ref('')
  const time = ref(0)
  const playing = ref(false)
  const speed = ref(1)
  const chosen = ref(0)
  /** The pane the tour plays in. */
  const pane = ref(0)
  const duration = computed(() => track.value?.duration_s ?? 0)
  const eyes = computed<Vec3[]>(() => track.value?.viewpoints.map(eye) ?? [])

  watch(tour, async (now) => {
    fault.value = ''
    if (!now) {
      track.value = null
      playing.value = false
      return
    }
    try {
      track.value = await answer(api.POST('/api/tour-track', { body: { stops: now.stops } }))
    } catch (e) {
      track.value = null
      fault.value = (e as Error).message
    }
    time.value = Math.min(time.value, duration.value)
    chosen.value = Math.min(chosen.value, now.stops.length - 1)
  })

  /** The viewpoint at a moment. */
  function at(t: number) {
    const { step_s, viewpoints } = track.value!
    const place = Math.min(viewpoints.length - 1, Math.max(0, t / step_s))
    const first = Math.floor(place)
    return between(
      viewpoints[first]!,
      viewpoints[Math.min(first + 1, viewpoints.length - 1)]!,
      place - first,
    )
  }
  /** The stop the camera is at or has left last. */
  const stopAt = (t: number) =>
    track.value ? track.value.arrivals_s.filter((a) => a <= t + 1e-9).length - 1 : 0
  let dressed = -1
  function show(t: number) {
    if (!track.value) return
    time.value = Math.min(duration.value, Math.max(0, t))
    const stop = stopAt(time.value)
    if (stop !== dressed) {
      dressed = stop
      chosen.value = stop
      const view = views.views.find((v) => v.id === tour.value!.stops[stop]?.view)
      if (view)
        views.dress({
          ...view,
          keeps: views.keepsOf(view).filter((k) => k !== 'time' || !tour.value!.with_programs),
        })
    }
    where.move(at(time.value), pane.value)
    if (tour.value!.with_programs) when.goTo(time.value)
  }

  let last = 0
  function tick(now: number) {
    if (!playing.value) return
    const next = time.value + (Math.max(0, now - last) / 1000) * speed.value
    last = now
    show(next)
    if (next >= duration.value) playing.value = false
    else requestAnimationFrame(tick)
  }
  function togglePlay() {
    playing.value = !playing.value && !!track.value
    if (!playing.value) return
    when.pause()
    if (time.value >= duration.value) time.value = 0
    dressed = -1
    last = performance.now()
    requestAnimationFrame(tick)
  }
  function goTo(t: number) {
    playing.value = false
    show(t)
  }
  /** To the arrival at the next or last stop. */
  function step(by: number) {
    const now = stopAt(time.value)
    const back = by < 0 && time.value > track.value!.arrivals_s[now]! + 1e-6 ? now : now + by
    const arrival =
      track.value?.arrivals_s[Math.max(0, Math.min(tour.value!.stops.length - 1, back))]
    if (arrival !== undefined) goTo(arrival)
  }

  // ---- editing
  function open(id: string | null) {
    openId.value = id
    pane.value = where.active
    time.value = 0
    chosen.value = 0
    dressed = -1
    if (id) where.remember()
  }
  const save = (next: Tour) => cell.edit({ edit: 'save_tour', tour: next })
  const stopHere = (): TourStop => {
    const view = views.views.find((v) => v.id === views.recalled)
    return {
      name: view?.name ?? `Stop ${(tour.value?.stops.length ?? 0) + 1}`,
      view: view?.id,
      viewpoint: where.viewpoint,
      hold_s: 1,
      travel_s: 3,
      passing: false,
    }
  }
  /** A new tour through all saved views, or from the picture's view if there are none. */
  async function create(name: string) {
    const id = crypto.randomUUID()
    const through = views.views.map((v): TourStop => ({
      name: v.name,
      view: v.id,
      viewpoint: v.viewpoint,
      hold_s: 1,
      travel_s: 3,
      passing: false,
    }))
    if (
      await save({ id, name, stops: through.length ? through : [stopHere()], with_programs: false })
    )
      open(id)
  }
  function withStops(change: (stops: TourStop[]) => void) {
    const stops = tour.value!.stops.map((s) => ({ ...s }))
    change(stops)
    return save({ ...tour.value!, stops })
  }
  const changeStop = (i: number, by: Partial<TourStop>) =>
    withStops((s) => Object.assign(s[i]!, by))
  /** A stop after stop `i`, with the picture's view. */
  async function insert(i: number) {
    if (await withStops((s) => s.splice(i + 1, 0, stopHere()))) chosen.value = i + 1
  }
  const remove = (i: number) => withStops((s) => s.splice(i, 1))
  const moveStop = (i: number, to: number) => withStops((s) => s.splice(to, 0, ...s.splice(i, 1)))
  const takeView = (i: number) => changeStop(i, { viewpoint: where.viewpoint })
  /** Moves the camera of a stop, and what it looks at, by mm. */
  const shift = (i: number, by: Vec3) => {
    const v = tour.value!.stops[i]!.viewpoint
    return changeStop(i, { viewpoint: { ...v, pivot_mm: v.pivot_mm.map((x, k) => x + by[k]!) } })
  }
  const rename = (name: string) => save({ ...tour.value!, name })
  const setWithPrograms = (with_programs: boolean) => save({ ...tour.value!, with_programs })
  async function removeTour(id: string) {
    if (openId.value === id) open(null)
    await cell.edit({ edit: 'delete_tour', tour: id })
  }

  return {
    tours,
    openId,
    tour,
    track,
    fault,
    time,
    playing,
    speed,
    chosen,
    pane,
    duration,
    eyes,
    at,
    show,
    togglePlay,
    goTo,
    step,
    open,
    create,
    changeStop,
    insert,
    remove,
    moveStop,
    takeView,
    shift,
    rename,
    setWithPrograms,
    removeTour,
  }
})
