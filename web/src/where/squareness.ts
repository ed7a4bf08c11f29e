import type { Schemas, Viewpoint } from '../api/client'
import { wrapped } from '../scene/navigation'

/** The standard view a pane stands in exactly, or how far off square a nearly standard one is. */
export function squareness(v: Viewpoint, standardViews: Schemas['StandardViewInfo'][]) {
  const off = (s: Schemas['StandardViewInfo']) => {
    const round =
      Math.abs(s.elevation_deg) === 90
        ? Math.abs((((v.bearing_deg % 90) + 135) % 90) - 45)
        : Math.abs(wrapped(v.bearing_deg - s.bearing_deg))
    return Math.max(round, Math.abs(v.elevation_deg - s.elevation_deg))
  }
  return standardViews.map((s) => ({ s, off: off(s) })).sort((a, b) => a.off - b.off)[0]
}
