import { Group, Matrix4, PerspectiveCamera, type Mesh } from 'three'
import { MeshoptSimplifier } from 'meshoptimizer/simplifier'
import { beforeAll, describe, expect, it } from 'vitest'

import { boxMesh, pinMesh } from '../testing/drawnMesh'
import { Batch, type Member, type Showing } from './batch'
import { smallestWith } from './bodies'
import { levelsOf } from './levels'
import type { Materials } from './materials'
import type { DrawnMesh } from './meshes'
import { Sight } from './sight'

beforeAll(() => MeshoptSimplifier.ready)

/** Materials are told apart, no more: there is no canvas here. */
const materials = new Proxy({}, { get: (_, name) => ({ name }) }) as Materials

function member(mesh: DrawnMesh, item: number, x: number, y = 0): Member {
  const matrix = new Matrix4().makeTranslation(x, y, 0)
  return { mesh, item, matrix: matrix.clone(), place: () => matrix, corner: 0, end: 0, soft: 0 }
}
function sight() {
  const camera = new PerspectiveCamera(40, 2, 0.1, 500)
  camera.up.set(0, 0, 1)
  camera.position.set(0, -10, 0)
  camera.lookAt(0, 0, 0)
  camera.updateMatrixWorld()
  return new Sight(camera, 800)
}
const triangles = ({ geometry }: Mesh) =>
  Math.min(geometry.drawRange.count, geometry.index!.count) / 3
const all = () => 'shown' as Showing

describe('bodies drawn together', () => {
  it('are all there, exactly, where a graphics card draws them', () => {
    const batch = new Batch(new Group(), [member(boxMesh(1, 1, 1), 0, 0)], materials)
    batch.drawAll()
    expect(triangles(batch.faces)).toBe(12)
    expect(batch.edges.geometry.getAttribute('position').count).toBe(24)
  })

  it('stand where they stand', () => {
    const batch = new Batch(new Group(), [member(boxMesh(1, 1, 1), 0, 5)], materials)
    batch.faces.geometry.computeBoundingBox()
    expect(batch.faces.geometry.boundingBox!.min.x).toBeCloseTo(4.5, 6)
    expect(batch.faces.geometry.boundingBox!.max.x).toBeCloseTo(5.5, 6)
  })

  it('are listed only where they are seen: not hidden, not beside the picture', () => {
    const box = boxMesh(1, 1, 1)
    const members = [member(box, 0, 0), member(box, 1, 1.5), member(box, 2, 80)]
    const batch = new Batch(new Group(), members, materials)
    const showing = (item: number): Showing => (item === 1 ? 'hidden' : 'shown')
    batch.choose(sight(), 1, showing)
    batch.list(0, showing)
    expect(batch.seen.map((s) => s.member.item)).toEqual([0])
    expect(triangles(batch.faces)).toBe(12)
  })

  it('are ghosts apart from what is shown', () => {
    const box = boxMesh(1, 1, 1)
    const batch = new Batch(new Group(), [member(box, 0, 0), member(box, 1, 1.5)], materials)
    const showing = (item: number): Showing => (item ? 'ghost' : 'shown')
    batch.choose(sight(), 1, showing)
    batch.list(0, showing)
    expect(triangles(batch.faces)).toBe(12)
    expect(triangles(batch.ghosts)).toBe(12)
  })

  it('come nearest first, as what lies behind is then left out early', () => {
    const box = boxMesh(1, 1, 1)
    const members = [member(box, 0, 0, 30), member(box, 1, 0, 0), member(box, 2, 1.2, 10)]
    const batch = new Batch(new Group(), members, materials)
    batch.choose(sight(), 1, all)
    expect(batch.seen.map((s) => s.member.item)).toEqual([1, 2, 0])
  })

  it('are coarse where they are far, and exact where nothing may be off', () => {
    const pin = pinMesh(0.3, 1)
    pin.levels = levelsOf({ ...pin.corners, edges: pin.edges }, MeshoptSimplifier)
    const batch = new Batch(new Group(), [member(pin, 0, 0, 60)], materials)
    const whole = pin.corners.indices.length / 3
    batch.choose(sight(), 1, all)
    batch.list(0, all)
    expect(triangles(batch.faces)).toBeLessThan(whole)
    batch.choose(sight(), 0, all)
    batch.list(0, all)
    expect(triangles(batch.faces)).toBe(whole)
  })

  it('are left out where they are smaller than what may be off', () => {
    const batch = new Batch(new Group(), [member(boxMesh(0.01, 0.01, 0.01), 0, 0, 80)], materials)
    batch.choose(sight(), 1, all)
    expect(batch.seen).toHaveLength(0)
    batch.choose(sight(), 0, all)
    expect(batch.seen).toHaveLength(1)
  })

  it('go without lines where they are too small for them, but keep their faces', () => {
    const members = [member(boxMesh(2, 2, 2), 0, 0), member(boxMesh(0.2, 0.2, 0.2), 1, 1.6)]
    const batch = new Batch(new Group(), members, materials)
    batch.choose(sight(), 1, all)
    const [large, small] = [0, 1].map((item) => batch.seen.find((s) => s.member.item === item)!)
    expect(large!.size).toBeGreaterThan(small!.size)
    batch.list((large!.size + small!.size) / 2, all)
    expect(triangles(batch.faces)).toBe(24)
    expect(batch.edges.geometry.drawRange.count).toBe(24)
  })

  it('are drawn anew where they have been taken', () => {
    const moved = member(boxMesh(1, 1, 1), 0, 0)
    const batch = new Batch(new Group(), [moved], materials)
    moved.place().makeTranslation(0, 0, 3)
    batch.rebake()
    const { geometry } = batch.faces
    geometry.computeBoundingBox()
    expect(geometry.boundingBox!.min.z).toBeCloseTo(2.5, 6)
    expect(geometry.boundingBox!.max.z).toBeCloseTo(3.5, 6)
  })
})

describe('the size from which on bodies have lines', () => {
  const bodies = [
    { size: 5, lines: 400 },
    { size: 50, lines: 300 },
    { size: 20, lines: 200 },
  ]
  it('lets all have them where there are few', () => {
    expect(smallestWith(1000, bodies)).toBe(0)
  })
  it('leaves out the smallest first', () => {
    const from = smallestWith(600, bodies)
    expect(bodies.filter((b) => b.size >= from).map((b) => b.size)).toEqual([50, 20])
  })
  it('leaves out all where even the largest has too many', () => {
    expect(smallestWith(100, bodies)).toBeGreaterThan(50)
  })
})
