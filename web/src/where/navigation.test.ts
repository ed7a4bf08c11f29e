import fc from 'fast-check'
import { describe, expect, it } from 'vitest'

import type { Vec3, Viewpoint } from '../api/client'
import { add, basis, dot, eye, orbit, pan, withProjection, zoom } from './navigation'

const start: Viewpoint = {
  pivot_mm: [0, 0, 500], bearing_deg: 30, elevation_deg: 25, roll_deg: 0, distance_mm: 5000, projection: 'perspective', lens_mm: 35, width_mm: 5000,
}
const point = fc.tuple(...[0, 1, 2].map(() => fc.double({ min: -3000, max: 3000, noNaN: true }))) as fc.Arbitrary<Vec3>
const gesture = fc.oneof(
  fc.record({ kind: fc.constant('orbit' as const), at: point, x: fc.integer({ min: -200, max: 200 }), y: fc.integer({ min: -200, max: 200 }) }),
  fc.record({ kind: fc.constant('pan' as const), at: point, x: fc.integer({ min: -200, max: 200 }), y: fc.integer({ min: -200, max: 200 }) }),
  fc.record({ kind: fc.constant('zoom' as const), at: point, x: fc.integer({ min: -240, max: 240 }), y: fc.constant(0) }),
)

describe('navigation by hand', () => {
  it('stays finite, level and inside limits, whatever the hand does, and the pivot never falls behind the eye', () => {
    fc.assert(
      fc.property(fc.array(gesture, { maxLength: 100 }), (gestures) => {
        let v = start
        for (const g of gestures) {
          if (g.kind === 'orbit') v = orbit(v, g.at, g.x, g.y)
          else if (g.kind === 'pan') v = pan(v, g.x, g.y, 800)
          else v = zoom(v, g.at, Math.exp(g.x * 0.0016))
          expect([...v.pivot_mm, v.bearing_deg, v.elevation_deg, v.distance_mm, v.width_mm].every(Number.isFinite)).toBe(true)
          expect(Math.abs(v.elevation_deg)).toBeLessThanOrEqual(90)
          expect(basis(v).right[2]).toBe(0)
          expect(dot(add(v.pivot_mm as Vec3, eye(v), -1), basis(v).back)).toBeLessThan(0)
        }
      }),
      { numRuns: 200 },
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

  it('switches projection without changing the size at the pivot', () => {
    const there = withProjection(start, 'parallel')
    const back = withProjection(there, 'perspective')
    expect(back.distance_mm).toBeCloseTo(start.distance_mm, 6)
  })
})
