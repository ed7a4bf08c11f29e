/**
 * The hand's part of navigation: how gestures change a viewpoint. Level unless roll is asked for,
 * the pivot never behind the eye. Framing, standard views and tours come from the core.
 */
import type { Vec3, Viewpoint } from '../api/client'

export interface Basis {
  right: Vec3
  up: Vec3
  back: Vec3
}

const RAD = Math.PI / 180
/** Width of the frame that focal lengths refer to, mm. */
const FILM_MM = 36
/** The eye comes as near as this to what it looks at, mm; zooming on goes through it. */
export const NEAREST_MM = 2
/** Where there is nothing to come near to, steps get no smaller than those from here, mm. */
const OPEN_MM = 30
const FARTHEST_MM = 500_000

export const add = (a: Vec3, b: Vec3, k = 1): Vec3 => [
  a[0] + b[0] * k,
  a[1] + b[1] * k,
  a[2] + b[2] * k,
]
export const dot = (a: Vec3, b: Vec3) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

export function basis(v: Viewpoint): Basis {
  const [b, e] = [v.bearing_deg * RAD, v.elevation_deg * RAD]
  const [sb, cb, se, ce] = [Math.sin(b), Math.cos(b), Math.sin(e), Math.cos(e)]
  const [level, over]: [Vec3, Vec3] = [
    [cb, sb, 0],
    [-sb * se, cb * se, ce],
  ]
  const [sr, cr] = [Math.sin(v.roll_deg * RAD), Math.cos(v.roll_deg * RAD)]
  const mix = (a: number, b: number): Vec3 => add([level[0] * a, level[1] * a, 0], over, b)
  return { right: mix(cr, sr), up: mix(-sr, cr), back: [sb * ce, -cb * ce, se] }
}

export const halfAngle = (lens_mm: number) => Math.atan(FILM_MM / (2 * lens_mm))

export function eye(v: Viewpoint): Vec3 {
  return add(v.pivot_mm as Vec3, basis(v).back, v.distance_mm)
}

/** Width of the picture in mm at the pivot. */
export function widthAtPivot(v: Viewpoint): number {
  return v.projection === 'parallel'
    ? v.width_mm
    : 2 * v.distance_mm * Math.tan(halfAngle(v.lens_mm))
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
export function pan(
  v: Viewpoint,
  dx: number,
  dy: number,
  pictureWidth: number,
  depth_mm = v.distance_mm,
): Viewpoint {
  const perPixel =
    (widthAtPivot(v) / pictureWidth) * (v.projection === 'parallel' ? 1 : depth_mm / v.distance_mm)
  const { right, up } = basis(v)
  return { ...v, pivot_mm: add(add(v.pivot_mm as Vec3, right, -dx * perPixel), up, dy * perPixel) }
}

/**
 * Comes nearer by `factor` (< 1) towards `at`, which stays where it is on the picture. It never
 * runs dry: from `least` mm on the eye goes on past `at`, and the pivot moves ahead.
 */
export function zoom(v: Viewpoint, at: Vec3, factor: number, least = OPEN_MM): Viewpoint {
  const width_mm = clamp(v.width_mm * factor, 1, FARTHEST_MM)
  if (v.projection === 'parallel') {
    const kept = width_mm / v.width_mm
    return {
      ...v,
      pivot_mm: add(at, add(v.pivot_mm as Vec3, at, -1), kept),
      distance_mm: clamp(v.distance_mm * factor, NEAREST_MM, FARTHEST_MM),
      width_mm,
    }
  }
  const { back } = basis(v)
  const ahead = add(at, eye(v), -1)
  const length = Math.max(Math.hypot(...ahead), 1e-9)
  const step = (1 - factor) * (factor < 1 ? Math.max(length, least) : length)
  const to = add(eye(v), ahead, step / length)
  const dry = factor < 1 && v.distance_mm * factor < least
  const distance_mm = clamp(
    dry ? Math.max(least, -dot(add(at, to, -1), back)) : v.distance_mm * factor,
    NEAREST_MM,
    FARTHEST_MM,
  )
  return { ...v, pivot_mm: add(to, back, -distance_mm), distance_mm, width_mm }
}

/** Comes nearer to what was hit, as near as can be, or where nothing is towards `open`. */
export function comeNearer(
  v: Viewpoint,
  hit: { at: Vec3 } | null | undefined,
  open: Vec3,
  factor: number,
): Viewpoint {
  return hit ? zoom(v, hit.at, factor, NEAREST_MM) : zoom(v, open, factor)
}

/** Looks round: the eye stays where it is. */
export function look(v: Viewpoint, bearing: number, elevation: number): Viewpoint {
  const next = {
    ...v,
    bearing_deg: wrapped(v.bearing_deg + bearing),
    elevation_deg: clamp(v.elevation_deg + elevation, -90, 90),
  }
  return { ...next, pivot_mm: add(eye(v), basis(next).back, -v.distance_mm) }
}

/**
 * Moves the eye and what it looks at by mm: to the right, forwards and up. On foot, forwards is
 * level.
 */
export function walk(
  v: Viewpoint,
  right: number,
  forwards: number,
  up: number,
  flying: boolean,
): Viewpoint {
  const { back } = basis(v)
  const level = Math.hypot(back[0], back[1])
  const ahead: Vec3 =
    flying || level < 1e-6
      ? [-back[0], -back[1], -back[2]]
      : [-back[0] / level, -back[1] / level, 0]
  let pivot = add(v.pivot_mm as Vec3, basis({ ...v, roll_deg: 0 }).right, right)
  pivot = add(pivot, ahead, forwards)
  return { ...v, pivot_mm: [pivot[0], pivot[1], pivot[2] + up] }
}

/** Stands with the eye at `at`, looking the given way, the pivot `ahead` mm before it. */
export function standing(
  v: Viewpoint,
  at: Vec3,
  bearing_deg: number,
  elevation_deg: number,
  ahead: number,
): Viewpoint {
  const next: Viewpoint = {
    ...v,
    bearing_deg: wrapped(bearing_deg),
    elevation_deg,
    roll_deg: 0,
    projection: 'perspective',
    distance_mm: ahead,
  }
  return { ...next, pivot_mm: add(at, basis(next).back, -ahead), width_mm: widthAtPivot(next) }
}

/** The bearing and elevation of someone at `from` who looks at `to`. */
export function lookingAt(from: Vec3, to: Vec3): { bearing_deg: number; elevation_deg: number } {
  const [x, y, z] = add(from, to, -1)
  return {
    bearing_deg: Math.atan2(x, -y) / RAD,
    elevation_deg: Math.atan2(z, Math.hypot(x, y)) / RAD,
  }
}

/** Turns the camera about its line of sight. */
export function roll(v: Viewpoint, degrees: number): Viewpoint {
  return { ...v, roll_deg: wrapped(v.roll_deg + degrees) }
}

/** Puts the pivot `distance` mm before the eye; the picture stays. */
export function withPivotAt(v: Viewpoint, distance: number): Viewpoint {
  if (v.projection === 'parallel') return { ...v, pivot_mm: add(eye(v), basis(v).back, -distance) }
  const at = Math.max(distance, NEAREST_MM)
  const next = { ...v, pivot_mm: add(eye(v), basis(v).back, -at), distance_mm: at }
  return { ...next, width_mm: widthAtPivot(next) }
}

/** Puts the pivot at a point: the view swings to look at it, the eye stays. */
export function withPivot(v: Viewpoint, at: Vec3): Viewpoint {
  const from = eye(v)
  const distance = Math.max(Math.hypot(...add(from, at, -1)), NEAREST_MM)
  return { ...v, ...lookingAt(from, at), pivot_mm: at, distance_mm: distance }
}

/** The other projection, showing the pivot at the same size. */
export function withProjection(v: Viewpoint, projection: Viewpoint['projection']): Viewpoint {
  if (projection === v.projection) return v
  const half = Math.tan(halfAngle(v.lens_mm))
  return projection === 'parallel'
    ? { ...v, projection, width_mm: clamp(2 * v.distance_mm * half, 1, FARTHEST_MM) }
    : { ...v, projection, distance_mm: clamp(v.width_mm / (2 * half), NEAREST_MM, FARTHEST_MM) }
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
    roll_deg: wrapped(a.roll_deg + wrapped(b.roll_deg - a.roll_deg) * s),
    distance_mm: ratio(a.distance_mm, b.distance_mm),
    width_mm: ratio(a.width_mm, b.width_mm),
    lens_mm: mix(a.lens_mm, b.lens_mm),
  }
}

/** Whether two viewpoints show the same picture. */
export function same(a: Viewpoint, b: Viewpoint): boolean {
  const near = (x: number, y: number, by: number) => Math.abs(x - y) < by
  return (
    near(wrapped(a.bearing_deg - b.bearing_deg), 0, 0.01) &&
    near(a.roll_deg, b.roll_deg, 0.01) &&
    near(a.elevation_deg, b.elevation_deg, 0.01) &&
    near(a.distance_mm, b.distance_mm, 0.5) &&
    near(a.width_mm, b.width_mm, 0.5) &&
    near(a.lens_mm, b.lens_mm, 0.01) &&
    a.projection === b.projection &&
    [0, 1, 2].every((i) => near(a.pivot_mm[i]!, b.pivot_mm[i]!, 0.5))
  )
}

/** Whether one looks along an axis, as in the standard views from the sides, top and bottom. */
export function isStandard(v: Viewpoint): boolean {
  const along = (deg: number) => Math.abs(deg - Math.round(deg / 90) * 90) < 1e-6
  const level = Math.abs(v.elevation_deg) < 1e-6
  return along(v.bearing_deg) && (level || Math.abs(Math.abs(v.elevation_deg) - 90) < 1e-6)
}
