import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'

import { useCell } from '../cell/cellStore'
import { useWhen } from '../when/whenStore'
import { LANE, laneCount } from './lanes'

const STEP_S = 0.04
/** Never lower than this, pixels. */
const LEAST_HIGH = 24

/**
 * A chart over the time of the path, which is its scrubber, too: how large it is, where a time lies
 * on it, and what hand and keys do on it. `room` is left for words below the lanes, pixels.
 */
export function usePathChart(room: number) {
  const cell = useCell()
  const when = useWhen()

  const chart = ref<SVGSVGElement>()
  /** For the template that draws it. */
  const take = (svg: unknown) => {
    chart.value = (svg as SVGSVGElement | null) ?? undefined
  }
  const { width, height } = useElementSize(chart)
  /** Below the lanes and the words. */
  const top = computed(() => room + LANE * Math.max(2, laneCount(cell.cell)))
  const bottom = computed(() => Math.max(top.value + LEAST_HIGH, height.value - 9))
  const x = computed(() =>
    scaleLinear([0, Math.max(when.duration, 1e-6)], [0, Math.max(width.value, 1)]),
  )

  /** The time under the pointer, s. */
  const pointed = ref<number | null>(null)
  let scrubbing = false
  const timeOf = (e: PointerEvent) =>
    x.value.invert(e.clientX - chart.value!.getBoundingClientRect().left)
  function down(e: PointerEvent) {
    scrubbing = true
    when.pause()
    chart.value!.setPointerCapture(e.pointerId)
    when.goTo(timeOf(e))
  }
  function move(e: PointerEvent) {
    const time = timeOf(e)
    pointed.value = Math.min(Math.max(time, 0), when.duration)
    if (scrubbing) when.goTo(time)
  }
  const up = () => {
    scrubbing = false
  }
  function key(e: KeyboardEvent) {
    const by = { ArrowRight: STEP_S, ArrowLeft: -STEP_S, PageUp: 1, PageDown: -1 }[e.key]
    if (by) when.goTo(when.time + by * (e.shiftKey ? 0.1 : 1))
    else if (e.key === 'End') when.goTo(when.duration)
    else return
    e.preventDefault()
  }
  return { take, width, height, top, bottom, x, pointed, down, move, up, key }
}
export type PathChart = ReturnType<typeof usePathChart>
