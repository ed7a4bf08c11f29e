import { describe, expect, it } from 'vitest'

import type { Vec3, Viewpoint } from '../api/client'
import { fromFront } from '../testing/viewpoints'
import { Cameras, type Sight } from './cameras'
import { halfAngle } from './navigation'

const [WIDTH, HEIGHT] = [800, 600]
const pane = (by: Partial<Viewpoint> = {}): Sight => ({
  viewpoint: { ...fromFront, ...by },
  width: WIDTH,
  height: HEIGHT,
})
const close = (found: ArrayLike<number> | null, expected: number[], digits = 6) =>
  expected.forEach((value, i) => expect(found![i]).toBeCloseTo(value, digits))

describe('cameras', () => {
  it('put the pivot in the middle of the picture', () => {
    const cameras = new Cameras()
    for (const bearing_deg of [0, 35, 170])
      for (const projection of ['perspective', 'parallel'] as const) {
        const view = pane({ bearing_deg, projection, pivot_mm: [100, -200, 700] })
        close(cameras.project(view, [100, -200, 700]), [WIDTH / 2, HEIGHT / 2])
      }
  })

  it('see as wide as their lens, on a negative 36 mm wide', () => {
    // Handbook: the half angle of a lens of f mm is atan(18 / f).
    expect(halfAngle(35)).toBeCloseTo(Math.atan(18 / 35), 9)
    const edge = 10_000 * (18 / 35)
    close(new Cameras().project(pane(), [edge, 0, 0]), [WIDTH, HEIGHT / 2], 3)
    close(new Cameras().project(pane(), [-edge, 0, 0]), [0, HEIGHT / 2], 3)
  })

  it('draw parallel views to scale, whatever the distance', () => {
    const view = pane({ projection: 'parallel' })
    const cameras = new Cameras()
    close(cameras.project(view, [1000, 0, 500]), [WIDTH * 0.75, HEIGHT / 2 - 100])
    close(cameras.project(view, [1000, 3000, 500]), [WIDTH * 0.75, HEIGHT / 2 - 100])
  })

  it('see nothing behind the eye', () => {
    expect(new Cameras().project(pane(), [0, -20_000, 0])).toBeNull()
  })

  it('find the point under a pixel on a plane, and where it is drawn again', () => {
    const cameras = new Cameras()
    const view = pane({ elevation_deg: 40, bearing_deg: 25 })
    const at = cameras.onPlane(view, [300, 350], [0, 0, 0], [0, 0, 1])!
    expect(at[2]).toBeCloseTo(0, 6)
    close(cameras.project(view, at), [300, 350], 4)
  })

  it('find none where the plane is looked along or lies behind', () => {
    const cameras = new Cameras()
    const above: Vec3 = [0, 0, 20_000]
    expect(cameras.onPlane(pane({ elevation_deg: 30 }), [400, 300], above, [0, 0, 1])).toBeNull()
  })

  it('bound a rectangle of pixels by sides that look inwards', () => {
    const cameras = new Cameras()
    const view = pane()
    const sides = cameras.sides(view, [500, 200], [300, 400])
    const holds = (at: Vec3) => {
      const point = cameras.of(view).position.clone().set(at[0], at[1], at[2]).multiplyScalar(1e-3)
      return sides.every((side) => side.distanceToPoint(point) > 0)
    }
    expect(holds([0, 0, 0])).toBe(true)
    const edge = cameras.onPlane(view, [510, 300], [0, 0, 0])!
    expect(holds(edge)).toBe(false)
    expect(holds(cameras.onPlane(view, [490, 300], [0, 0, 0])!)).toBe(true)
  })

  it('roll about where they look', () => {
    const cameras = new Cameras()
    const upright = cameras.project(pane(), [500, 0, 0])!
    const rolled = cameras.project(pane({ roll_deg: 90 }), [500, 0, 0])!
    expect(Math.abs(rolled[0] - WIDTH / 2)).toBeLessThan(1e-6)
    expect(Math.abs(rolled[1] - HEIGHT / 2)).toBeCloseTo(Math.abs(upright[0] - WIDTH / 2), 6)
  })
})
