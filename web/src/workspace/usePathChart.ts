import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'

import { useCell } from '../cell/cellStore'
import { useStrip } from '../when/stripStore'
import { useWhen } from '../when/whenStore'
import { LANE, laneCount } from './lanes'

const STEP_S = 0.04
/** So much a notch of the wheel zooms. */
const NOTCH = 0.8
/** Never lower than this, pixels. */
const LEAST_HIGH = 24

/**
 * A chart over the time of the path, which is its scrubber, too: how large it is, where a time lies
 * on it, and what hand and keys do on it. `room` is left for words below the lanes, pixels.
 */
export function usePathChart(room: number) {
  const cell = useCell()
  const when = useWhen()
  const strip = useStrip()

  const chart = ref<SVGSVGElement>()
  /** For the template that draws it. */
  const take = (svg: unknown) => {
    chart.value = (svg as SVGSVGElement | null) ?? undefined
  }
  const { width, height } = useElementSize(chart)
  /** Below the lanes and the words. */
  const top = computed(() => room + LANE * Math.max(2, laneCount(cell.cell)))
  const bottom = computed(() => Math.max(top.value + LEAST_HIGH, height.value - 9))
  const x = computed(() => scaleLinear(strip.shown, [0, Math.max(width.value, 1)]))

  /** The time under the pointer, s. */
  const pointed = ref<number | null>(null)
  let scrubbing = false
  /** Where marking a stretch began, s. */
  let since: number | null = null
  const timeOf = (e: MouseEvent) =>
    x.value.invert(e.clientX - chart.value!.getBoundingClientRect().left)
  const within = (time: number) => Math.min(Math.max(time, 0), when.duration)
  function down(e: PointerEvent) {
    if (e.shiftKey) {
      since = within(timeOf(e))
      chart.value!.setPointerCapture(e.pointerId)
      return
    }
    scrubbing = true
    strip.marked = null
    when.pause()
    chart.value!.setPointerCapture(e.pointerId)
    when.goTo(timeOf(e))
  }
  function move(e: PointerEvent) {
    const time = timeOf(e)
    pointed.value = within(time)
    if (since !== null)
      strip.marked = [Math.min(since, within(time)), Math.max(since, within(time))]
    else if (scrubbing) when.goTo(time)
  }
  const up = () => {
    scrubbing = false
    since = null
  }
  /** The wheel zooms about the pointer; sideways, or with Shift, it slides. */
  function wheel(e: WheelEvent) {
    const [from, to] = strip.shown
    const aside = e.shiftKey ? e.deltaX || e.deltaY : e.deltaX
    if (Math.abs(aside) > Math.abs(e.shiftKey ? 0 : e.deltaY))
      strip.slide((aside / Math.max(width.value, 1)) * (to - from))
    else if (e.deltaY) strip.zoom(e.deltaY < 0 ? NOTCH : 1 / NOTCH, timeOf(e))
  }
  function key(e: KeyboardEvent) {
    const by = { ArrowRight: STEP_S, ArrowLeft: -STEP_S, PageUp: 1, PageDown: -1 }[e.key]
    if (by) when.goTo(when.time + by * (e.shiftKey ? 0.1 : 1))
    else if (e.key === 'End') when.goTo(when.duration)
    else if (e.key === '+') strip.zoom(NOTCH, when.time)
    else if (e.key === '-') strip.zoom(1 / NOTCH, when.time)
    else return
    e.preventDefault()
  }
  return { take, width, height, top, bottom, x, pointed, down, move, up, wheel, key }
}
export type PathChart = ReturnType<typeof usePathChart>
