import type { ScaleLinear } from 'd3-scale'
import { ref, type Ref } from 'vue'

import { useWhen } from '../when/whenStore'

const STEP_S = 0.04

/** Moves the play head by hand and keys on a chart as wide as the path. */
export function useScrubber(
  chart: Ref<SVGSVGElement | undefined>,
  x: Ref<ScaleLinear<number, number>>,
) {
  const when = useWhen()
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
  return { down, move, up, key, pointed }
}
