import fc from 'fast-check'
import { describe, expect, it } from 'vitest'

import type { Vec3, Viewpoint } from '../api/client'
import {
  add,
  basis,
  between,
  dot,
  eye,
  halfAngle,
  look,
  lookingAt,
  NEAREST_MM,
  orbit,
  pan,
  roll,
  standing,
  walk,
  withLens,
  withPivot,
  withProjection,
  zoom,
} from './navigation'

const start: Viewpoint = {
  pivot_mm: [0, 0, 500],
  bearing_deg: 30,
  elevation_deg: 25,
  roll_deg: 0,
  distance_mm: 5000,
  projection: 'perspective',
  lens_mm: 35,
  width_mm: 5000,
}
const point = fc.tuple(
  ...[0, 1, 2].map(() => fc.double({ min: -3000, max: 3000, noNaN: true })),
) as fc.Arbitrary<Vec3>
const gesture = fc.oneof(
  fc.record({
    kind: fc.constant('look' as const),
    at: point,
    x: fc.integer({ min: -200, max: 200 }),
    y: fc.integer({ min: -200, max: 200 }),
  }),
  fc.record({
    kind: fc.constant('walk' as const),
    at: point,
    x: fc.integer({ min: -500, max: 500 }),
    y: fc.integer({ min: -500, max: 500 }),
  }),
  fc.record({
    kind: fc.constant('switch' as const),
    at: point,
    x: fc.integer({ min: 8, max: 300 }),
    y: fc.constant(0),
  }),
  fc.record({
    kind: fc.constant('orbit' as const),
    at: point,
    x: fc.integer({ min: -200, max: 200 }),
    y: fc.integer({ min: -200, max: 200 }),
  }),
  fc.record({
    kind: fc.constant('pan' as const),
    at: point,
    x: fc.integer({ min: -200, max: 200 }),
    y: fc.integer({ min: -200, max: 200 }),
  }),
  fc.record({
    kind: fc.constant('zoom' as const),
    at: point,
    x: fc.integer({ min: -240, max: 240 }),
    y: fc.constant(0),
  }),
)

describe('navigation by hand', () => {
  it('stays finite, level and in limits, the pivot before the eye, whatever the hand does', () => {
    fc.assert(
      fc.property(fc.array(gesture, { minLength: 10_000, maxLength: 10_000 }), (gestures) => {
        let v = start
        for (const g of gestures) {
          if (g.kind === 'orbit') v = orbit(v, g.at, g.x, g.y)
          else if (g.kind === 'pan') v = pan(v, g.x, g.y, 800)
          else if (g.kind === 'look') v = look(v, g.x, g.y)
          else if (g.kind === 'walk') v = walk(v, g.x, g.y, g.y / 2, g.x > 0)
          else if (g.kind === 'switch')
            v = withLens(withProjection(v, g.x > 150 ? 'parallel' : 'perspective'), g.x)
          else v = zoom(v, g.at, Math.exp(g.x * 0.0016), g.x % 2 ? NEAREST_MM : undefined)
          // Plain comparisons: ten thousand gestures are many expectations.
          const sound =
            [...v.pivot_mm, v.bearing_deg, v.elevation_deg, v.distance_mm, v.width_mm].every(
              Number.isFinite,
            ) &&
            Math.abs(v.elevation_deg) <= 90 &&
            basis(v).right[2] === 0 &&
            v.lens_mm >= 10 &&
            v.lens_mm <= 300 &&
            v.distance_mm >= 1.99 &&
            v.distance_mm <= 500_000 &&
            v.width_mm >= 1 &&
            v.width_mm <= 3e6 &&
            dot(add(v.pivot_mm as Vec3, eye(v), -1), basis(v).back) < 0
          if (!sound) throw new Error(`${JSON.stringify(g)} leads to ${JSON.stringify(v)}`)
        }
      }),
      { numRuns: 3, endOnFailure: true },
    )
  })

  it('keeps what is turned about where it is on the picture', () => {
    const about: Vec3 = [400, -300, 900]
    const seen = (v: Viewpoint) => {
      const { right, up, back } = basis(v)
      const d = add(about, eye(v), -1)
      return [dot(d, right), dot(d, up), dot(d, back)]
    }
    const [before, after] = [seen(start), seen(orbit(start, about, 40, -15))]
    before.forEach((x, i) => expect(after[i]).toBeCloseTo(x, 6))
  })

  it('never runs dry: zooming on and on gets past any point', () => {
    let v: Viewpoint = { ...start, bearing_deg: 0, elevation_deg: 0, pivot_mm: [0, 0, 0] }
    const ahead: Vec3 = [0, 400, 0]
    for (let i = 0; i < 400; i++) v = zoom(v, add(v.pivot_mm as Vec3, [0, 20, 0]), 0.8)
    expect(eye(v)[1]).toBeGreaterThan(ahead[1])
  })

  it('comes within two millimetres of a surface, and then goes through to what lies behind', () => {
    let v: Viewpoint = { ...start, bearing_deg: 0, elevation_deg: 0, pivot_mm: [0, 0, 0] }
    const [wall, behind]: [Vec3, Vec3] = [
      [0, 0, 0],
      [0, 3000, 0],
    ]
    let nearest = Infinity
    for (let i = 0; i < 60; i++) {
      const gap = -eye(v)[1]
      if (gap > 0) nearest = Math.min(nearest, gap)
      v = zoom(v, gap > 0 ? wall : behind, 0.85, NEAREST_MM)
    }
    expect(nearest).toBeLessThan(2)
    expect(eye(v)[1]).toBeGreaterThan(1500)
    expect(v.pivot_mm[1]).toBeGreaterThan(eye(v)[1]!)
  })

  it('switches projection without changing the size at the pivot', () => {
    const there = withProjection(start, 'parallel')
    const back = withProjection(there, 'perspective')
    expect(back.distance_mm).toBeCloseTo(start.distance_mm, 6)
  })

  it('looks round without moving the eye, and walks level on foot', () => {
    const from = eye(start)
    const turned = look(start, 70, -40)
    eye(turned).forEach((x, i) => expect(x).toBeCloseTo(from[i]!, 6))
    const ahead = walk(start, 0, 800, 0, false)
    expect(eye(ahead)[2]).toBeCloseTo(from[2], 9)
    expect(Math.hypot(...add(eye(ahead), from, -1))).toBeCloseTo(800, 6)
    const flown = walk(start, 0, 800, 0, true)
    expect(eye(flown)[2]).toBeLessThan(from[2] - 100)
  })

  it('stands where it is told and looks at what it is told', () => {
    const at: Vec3 = [1200, -800, 1600]
    const target: Vec3 = [0, 500, 1600]
    const { bearing_deg, elevation_deg } = lookingAt(at, target)
    const v = standing(start, at, bearing_deg, elevation_deg, 1000)
    eye(v).forEach((x, i) => expect(x).toBeCloseTo(at[i]!, 6))
    const sight = add(target, at, -1)
    expect(dot(basis(v).back, sight) / Math.hypot(...sight)).toBeCloseTo(-1, 9)
    expect(elevation_deg).toBeCloseTo(0, 9)
  })

  it('rolls only when asked, and keeps the eye and the pivot', () => {
    const rolled = roll(start, 30)
    expect(basis(rolled).right[2]).toBeGreaterThan(0.3)
    eye(rolled).forEach((x, i) => expect(x).toBeCloseTo(eye(start)[i]!, 9))
    for (const [a, b] of [
      ['right', 'up'],
      ['up', 'back'],
      ['back', 'right'],
    ] as const)
      expect(dot(basis(rolled)[a], basis(rolled)[b])).toBeCloseTo(0, 12)
  })

  it('turns about a given point without moving the eye', () => {
    const about: Vec3 = [300, 200, 100]
    const v = withPivot(start, about)
    eye(v).forEach((x, i) => expect(x).toBeCloseTo(eye(start)[i]!, 6))
    expect(v.pivot_mm).toEqual(about)
  })

  it('flies the shorter way round and arrives', () => {
    const [a, b] = [
      { ...start, bearing_deg: 170 },
      { ...start, bearing_deg: -170 },
    ]
    expect(Math.abs(between(a, b, 0.5).bearing_deg)).toBeCloseTo(180, 9)
    expect(between(a, b, 1)).toMatchObject(b)
  })

  it('gives a lens of 50 mm its 39.6° (36 mm frame, common practice)', () => {
    expect((2 * halfAngle(50) * 180) / Math.PI).toBeCloseTo(39.6, 1)
  })
})
