import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'

import { useCell } from '../cell/cellStore'
import { useWhen } from './whenStore'

type Stretch = [from: number, to: number]

/** Nothing shorter is shown, s. */
const SHORTEST_S = 1e-3

/** Which part of the path the strip shows, and which stretch of it is marked. */
export const useStrip = defineStore('strip', () => {
  const cell = useCell()
  const when = useWhen()

  /** The part shown, s; nothing is all of it. */
  const part = ref<Stretch | null>(null)
  /** The stretch that was marked, s. */
  const marked = ref<Stretch | null>(null)
  const whole = computed((): Stretch => [0, Math.max(when.duration, 1e-6)])
  const shown = computed((): Stretch => part.value ?? whole.value)

  function show([from, to]: Stretch) {
    const [, end] = whole.value
    const long = Math.min(Math.max(to - from, SHORTEST_S), end)
    const start = Math.min(Math.max(0, from), end - long)
    part.value = long < end ? [start, start + long] : null
  }
  /** Shows so many times as long a part, with the instant `about` where it is. */
  function zoom(by: number, about: number) {
    const [from, to] = shown.value
    const long = Math.max((to - from) * by, SHORTEST_S)
    const share = (about - from) / (to - from)
    show([about - share * long, about + (1 - share) * long])
  }
  const slide = (by: number) => show([shown.value[0] + by, shown.value[1] + by])
  const showAll = () => (part.value = null)
  function fit() {
    if (marked.value) show(marked.value)
    marked.value = null
  }

  // The play head is kept in sight.
  watch(
    () => when.time,
    (time) => {
      const [from, to] = shown.value
      if (!part.value || (time >= from && time <= to)) return
      const long = to - from
      // While it plays a page is turned, else it comes into the middle.
      show(when.playing ? [time, time + long] : [time - long / 2, time + long / 2])
    },
  )
  watch([() => cell.cell?.id, () => when.duration], () => (part.value = marked.value = null))

  return { part, marked, whole, shown, show, zoom, slide, showAll, fit }
})
