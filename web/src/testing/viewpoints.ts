import type { Viewpoint } from '../api/client'

/** From the front, ten metres off, at the height of the floor. */
export const fromFront: Viewpoint = {
  pivot_mm: [0, 0, 0],
  bearing_deg: 0,
  elevation_deg: 0,
  roll_deg: 0,
  distance_mm: 10_000,
  projection: 'perspective',
  lens_mm: 35,
  width_mm: 4000,
}
