import { Matrix4, OrthographicCamera, PerspectiveCamera, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import { boxMesh } from '../testing/drawnMesh'
import { Sight } from './sight'

const WIDTH = 800
/** Ten metres before the origin, looking at it along +Y. */
function camera() {
  const made = new PerspectiveCamera(40, 2, 0.1, 100)
  made.up.set(0, 0, 1)
  made.position.set(0, -10, 0)
  made.lookAt(0, 0, 0)
  made.updateMatrixWorld()
  return made
}
function parallel(width: number) {
  const half = width / 2
  const made = new OrthographicCamera(-half, half, half / 2, -half / 2, 0.1, 100)
  made.up.set(0, 0, 1)
  made.position.set(0, -10, 0)
  made.lookAt(0, 0, 0)
  made.updateMatrixWorld()
  return made
}
const at = (x: number, y: number, z: number) => new Matrix4().makeTranslation(x, y, z)

describe('what can be seen', () => {
  it('knows how wide a pixel is: it grows with the distance', () => {
    const of = camera()
    const sight = new Sight(of, WIDTH)
    // Two points a metre apart, ten metres off, are so many pixels apart on the picture.
    const [left, right] = [-0.5, 0.5].map((x) => new Vector3(x, 0, 0).project(of).x)
    const pixels = ((right! - left!) / 2) * WIDTH
    expect(sight.pixelAt(10)).toBeCloseTo(1 / pixels, 9)
    expect(sight.pixelAt(5)).toBeCloseTo(sight.pixelAt(10) / 2, 9)
  })

  it('has pixels of one size in a parallel view', () => {
    const sight = new Sight(parallel(4), WIDTH)
    expect(sight.pixelAt(1)).toBeCloseTo(4 / WIDTH, 12)
    expect(sight.pixelAt(50)).toBeCloseTo(4 / WIDTH, 12)
  })

  it('finds what may be in the picture and nothing that is not', () => {
    const sight = new Sight(camera(), WIDTH)
    const box = boxMesh(1, 1, 1)
    expect(sight.ballOf(box, at(0, 0, 0))).not.toBeNull()
    expect(sight.ballOf(box, at(40, 0, 0))).toBeNull()
    expect(sight.ballOf(box, at(0, -30, 0))).toBeNull()
  })

  it('tells how near something comes: exactly where it is near, never too far', () => {
    const sight = new Sight(camera(), WIDTH)
    const box = boxMesh(1, 1, 1)
    expect(sight.distanceTo(box, at(0, -8, 0))).toBeCloseTo(1.5, 6)
    for (const y of [-9, -5, 0, 30]) {
      const distance = sight.distanceTo(box, at(0, y, 0))
      expect(distance).toBeLessThanOrEqual(y + 10 - 0.5 + 1e-6)
      expect(distance).toBeGreaterThan(y + 10 - 1)
    }
  })

  it('asks the mesh itself where the eye is inside its box', () => {
    const sight = new Sight(camera(), WIDTH)
    // Within a frame of four bars the nearest of them counts, not the box round all.
    const bar = boxMesh(4, 4, 4)
    expect(sight.distanceTo(bar, at(0, -10, 0))).toBeCloseTo(2, 6)
  })

  it('sees things as they see it', () => {
    const turned = new Matrix4().makeRotationZ(Math.PI / 2)
    const from = new Sight(camera(), WIDTH).from(turned)
    expect(from.x).toBeCloseTo(-10, 9)
    expect(from.y).toBeCloseTo(0, 9)
    const direction = new Sight(parallel(4), WIDTH).from(turned)
    expect(direction.length()).toBeCloseTo(1, 9)
    expect(direction.x).toBeCloseTo(-1, 9)
  })
})
