import type { Vec3, Viewpoint } from '../api/client'
import { useExport } from './exportStore'
import { comeNearer, look, orbit, pan } from '../scene/navigation'
import { useStandpoint } from '../where/standpointStore'
import { useWhere } from '../where/whereStore'

/** A pause after which the view that is left is kept, to come back to. */
const PAUSE_MS = 800
/** How far one press goes: a part of the picture's width, degrees, a part of the distance. */
const SHIFT = 0.08
const TURN_DEG = 5
const NEARER = 0.8

let last = 0

/**
 * Moving with the keyboard alone, in the active pane; what lies in its middle is what one comes
 * nearer to.
 */
export function useKeyMoves() {
  const where = useWhere()
  const standpoint = useStandpoint()
  const exporting = useExport()

  function move(to: Viewpoint) {
    const now = performance.now()
    if (now - last > PAUSE_MS) where.remember()
    last = now
    where.move(to)
  }
  const pivot = () => where.viewpoint.pivot_mm as Vec3
  const middle = () => exporting.scene?.spots.middle(where.active)
  return {
    /** Nearer by one press, or back by one. */
    nearer: (by: 1 | -1) => move(comeNearer(where.viewpoint, middle(), pivot(), NEARER ** by)),
    /** Sideways and up, in presses. */
    shift: (right: number, up: number) => move(pan(where.viewpoint, -right * SHIFT, up * SHIFT, 1)),
    /** Round what lies in the middle; on foot the head turns instead. */
    turn(right: number, up: number) {
      const [b, e] = [right * TURN_DEG, up * TURN_DEG]
      const standing = standpoint.mode !== null && standpoint.pane === where.active
      move(
        standing
          ? look(where.viewpoint, b, e)
          : orbit(where.viewpoint, middle()?.at ?? pivot(), b, e),
      )
    },
  }
}
