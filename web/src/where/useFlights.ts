import type { Ref } from 'vue'

import type { Viewpoint } from '../api/client'
import { between, same } from '../scene/navigation'
import { useSettings } from '../settings/settingsStore'
import type { Pane } from './panes'

const REMEMBERED = 120
const FLIGHT_MS = 260

/** How panes come from one viewpoint to another, and back. */
export function useFlights(panes: Pane[], active: Ref<number>, shownPanes: Ref<number[]>) {
  const settings = useSettings()
  const flights = [0, 0, 0, 0]
  /** Where panes fly to just now. */
  const bound: (Viewpoint | null)[] = [null, null, null, null]
  /** Where a pane stands, or will when its flight is over: what comes next starts there. */
  const headed = (index = active.value) => bound[index] ?? panes[index]!.viewpoint
  function put(index: number, next: Viewpoint) {
    const before = panes[index]!.viewpoint
    panes[index]!.viewpoint = next
    if (!settings.looking.linked || index !== active.value) return
    for (const other of shownPanes.value) {
      if (other === index || before.pivot_mm === next.pivot_mm) continue
      const v = panes[other]!.viewpoint
      const nearer = next.width_mm / before.width_mm
      panes[other]!.viewpoint = {
        ...v,
        pivot_mm: next.pivot_mm,
        distance_mm: v.distance_mm * nearer,
        width_mm: v.width_mm * nearer,
      }
    }
  }
  /** Moves by hand: at once, ends any flight. */
  function move(next: Viewpoint, index = active.value) {
    flights[index]!++
    bound[index] = null
    put(index, next)
  }
  /** Keeps the view one leaves, so that one can come back. */
  function remember(index = active.value) {
    const p = panes[index]!
    const last = p.back.at(-1)
    if (last && same(last, headed(index))) return
    p.back = [...p.back, headed(index)].slice(-REMEMBERED)
    p.forward = []
  }
  function fly(to: Viewpoint, index: number) {
    const mine = ++flights[index]!
    const from = panes[index]!.viewpoint
    if (settings.still) {
      put(index, to)
      return
    }
    bound[index] = to
    const start = performance.now()
    const step = (now: number) => {
      if (mine !== flights[index]) return
      const s = Math.min(1, Math.max(0, now - start) / FLIGHT_MS)
      put(index, s < 1 ? between(from, to, s * s * (3 - 2 * s)) : to)
      if (s < 1) requestAnimationFrame(step)
      else bound[index] = null
    }
    requestAnimationFrame(step)
  }
  function goTo(to: Viewpoint, index = active.value) {
    remember(index)
    fly(to, index)
  }
  function goBack() {
    const p = panes[active.value]!
    const to = p.back.at(-1)
    if (!to) return
    p.forward = [...p.forward, headed()]
    p.back = p.back.slice(0, -1)
    fly(to, active.value)
  }
  function goForward() {
    const p = panes[active.value]!
    const to = p.forward.at(-1)
    if (!to) return
    p.back = [...p.back, headed()]
    p.forward = p.forward.slice(0, -1)
    fly(to, active.value)
  }

  return { headed, move, remember, goTo, goBack, goForward }
}
