import type { Ref, ShallowRef } from 'vue'

import type { Vec3 } from '../api/client'
import { add, basis, dot, eye, pan } from '../scene/navigation'
import type { Scene } from '../scene/scene'
import { useWhere } from '../where/whereStore'
import type { Rect } from './usePaneRects'

/** Nearer to the edge of a pane is not in sight, as a share of it. */
const EDGE = 0.12
/** Handles reach so far to either side, pixels. */
const REACH = 90
/** Where a point is brought to, as shares of the width of a pane: the first that is free. */
const PLACES = [0.5, 0.72, 0.28]

/** Brings a point into sight that lies outside the picture or below a panel, else does nothing. */
export function useInSight(
  scene: ShallowRef<Scene | undefined>,
  box: Ref<HTMLElement | undefined>,
  rects: Ref<Rect[]>,
) {
  const where = useWhere()
  return (at: Vec3) => {
    const rect = rects.value.find((r) => r.index === where.active)
    const corner = box.value?.getBoundingClientRect()
    if (!rect || !corner) return
    const { left, top, width, height } = rect
    /** Whether a panel lies over a place of the pane, or beside it. */
    const covered = (x: number, y: number) =>
      [x - REACH, x, x + REACH].some((beside) => {
        const [px, py] = [corner.left + left + beside, corner.top + top + y]
        return !!document.elementFromPoint?.(px, py)?.closest('.panel')
      })
    const inside = (x: number, most: number) => x > most * EDGE && x < most * (1 - EDGE)
    const seen = scene.value?.spots.project(rect.index, at)
    if (seen && inside(seen[0], width) && inside(seen[1], height) && !covered(...seen)) return
    const free = PLACES.find((x) => !covered(x * width, height / 2)) ?? PLACES[0]!
    const to = [free * width, height / 2] as const
    const v = where.viewpoint
    const depth = dot(add(eye(v), at, -1), basis(v).back)
    // What lies behind the eye is looked at first.
    const next =
      seen && depth > 0
        ? pan(v, to[0] - seen[0], to[1] - seen[1], width, depth)
        : pan({ ...v, pivot_mm: at }, to[0] - width / 2, 0, width)
    where.goTo(next)
  }
}
