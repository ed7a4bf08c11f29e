/**
 * The hand's part of navigation: how gestures change a viewpoint. Level always, the pivot never
 * behind the eye. Framing and standard views come from the core.
 */
import type { Vec3, Viewpoint } from '../api/client'

export interface Basis { right: Vec3; up: Vec3; back: Vec3 }

const RAD = Math.PI / 180
/** Width of the frame that focal lengths refer to, mm. */
const FILM_MM = 36
/** The eye keeps this far from the pivot, mm; zooming on moves the pivot ahead. */
const NEAREST_MM = 30
const FARTHEST_MM = 500_000

export const add = (a: Vec3, b: Vec3, k = 1): Vec3 => [a[0] + b[0] * k, a[1] + b[1] * k, a[2] + b[2] * k]
export const dot = (a: Vec3, b: Vec3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

export function basis(v: Viewpoint): Basis {
  const [b, e] = [v.bearing_deg * RAD, v.elevation_deg * RAD]
  const [sb, cb, se, ce] = [Math.sin(b), Math.cos(b), Math.sin(e), Math.cos(e)]
  return { right: [cb, sb, 0], up: [-sb * se, cb * se, ce], back: [sb * ce, -cb * ce, se] }
}

export const halfAngle = (lens_mm: number) => Math.atan(FILM_MM / (2 * lens_mm))

export function eye(v: Viewpoint): Vec3 {
  return add(v.pivot_mm as Vec3, basis(v).back, v.distance_mm)
}

/** Width of the picture in mm at the pivot. */
export function widthAtPivot(v: Viewpoint): number {
  return v.projection === 'parallel' ? v.width_mm : 2 * v.distance_mm * Math.tan(halfAngle(v.lens_mm))
}

const clamp = (x: number, low: number, high: number) => Math.min(high, Math.max(low, x))

/** A bearing in −180..180. */
export function wrapped(bearing: number): number {
  return ((((bearing + 180) % 360) + 360) % 360) - 180
}

/** Turns round `about`: it stays where it is on the picture. */
export function orbit(v: Viewpoint, about: Vec3, bearing: number, elevation: number): Viewpoint {
  const next = {
    ...v,
    bearing_deg: wrapped(v.bearing_deg + bearing),
    elevation_deg: clamp(v.elevation_deg + elevation, -90, 90),
  }
  const [from, to] = [basis(v), basis(next)]
  const offset = add(v.pivot_mm as Vec3, about, -1)
  let pivot: Vec3 = [...about]
  pivot = add(pivot, to.right, dot(offset, from.right))
  pivot = add(pivot, to.up, dot(offset, from.up))
  pivot = add(pivot, to.back, dot(offset, from.back))
  return { ...next, pivot_mm: pivot }
}

/** Moves what is at `depth_mm` from the eye (the pivot by default) along with the pointer. */
export function pan(v: Viewpoint, dx: number, dy: number, pictureWidth: number, depth_mm = v.distance_mm): Viewpoint {
  const perPixel = (widthAtPivot(v) / pictureWidth) * (v.projection === 'parallel' ? 1 : depth_mm / v.distance_mm)
  const { right, up } = basis(v)
  return { ...v, pivot_mm: add(add(v.pivot_mm as Vec3, right, -dx * perPixel), up, dy * perPixel) }
}

/** Comes nearer by `factor` (< 1) towards `at`, which stays where it is on the picture. */
export function zoom(v: Viewpoint, at: Vec3, factor: number): Viewpoint {
  const towards = (k: number) => add(at, add(v.pivot_mm as Vec3, at, -1), k)
  const distance = v.distance_mm * factor
  if (distance < NEAREST_MM && factor < 1 && v.projection === 'perspective') {
    // Zooming never runs dry: the eye goes on, and the pivot with it.
    const ahead = add(at, eye(v), -1)
    const length = Math.max(Math.hypot(...ahead), 1e-9)
    return { ...v, pivot_mm: add(v.pivot_mm as Vec3, ahead, (NEAREST_MM * (1 - factor)) / length) }
  }
  return {
    ...v,
    pivot_mm: towards(factor),
    distance_mm: clamp(distance, NEAREST_MM, FARTHEST_MM),
    width_mm: clamp(v.width_mm * factor, 1, FARTHEST_MM),
  }
}

/** The other projection, showing the pivot at the same size. */
export function withProjection(v: Viewpoint, projection: Viewpoint['projection']): Viewpoint {
  if (projection === v.projection) return v
  const half = Math.tan(halfAngle(v.lens_mm))
  return projection === 'parallel'
    ? { ...v, projection, width_mm: 2 * v.distance_mm * half }
    : { ...v, projection, distance_mm: v.width_mm / (2 * half) }
}

/** Changes the lens and nothing else: the eye stays. */
export function withLens(v: Viewpoint, lens_mm: number): Viewpoint {
  return { ...v, lens_mm: clamp(lens_mm, 10, 300) }
}

/** Between two viewpoints, along the shorter way round. */
export function between(a: Viewpoint, b: Viewpoint, s: number): Viewpoint {
  const mix = (x: number, y: number) => x + (y - x) * s
  const ratio = (x: number, y: number) => x * Math.pow(y / x, s)
  return {
    ...b,
    pivot_mm: [0, 1, 2].map((i) => mix(a.pivot_mm[i]!, b.pivot_mm[i]!)),
    bearing_deg: wrapped(a.bearing_deg + wrapped(b.bearing_deg - a.bearing_deg) * s),
    elevation_deg: mix(a.elevation_deg, b.elevation_deg),
    distance_mm: ratio(a.distance_mm, b.distance_mm),
    width_mm: ratio(a.width_mm, b.width_mm),
    lens_mm: mix(a.lens_mm, b.lens_mm),
  }
}

/** Whether two viewpoints show the same picture. */
export function same(a: Viewpoint, b: Viewpoint): boolean {
  const near = (x: number, y: number, by: number) => Math.abs(x - y) < by
  return (
    near(wrapped(a.bearing_deg - b.bearing_deg), 0, 0.01) && near(a.elevation_deg, b.elevation_deg, 0.01) &&
    near(a.distance_mm, b.distance_mm, 0.5) && near(a.width_mm, b.width_mm, 0.5) && near(a.lens_mm, b.lens_mm, 0.01) &&
    a.projection === b.projection && [0, 1, 2].every((i) => near(a.pivot_mm[i]!, b.pivot_mm[i]!, 0.5))
  )
}
