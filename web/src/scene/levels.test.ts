import { MeshoptSimplifier } from 'meshoptimizer/simplifier'
import {
  BoxGeometry,
  type BufferGeometry,
  CylinderGeometry,
  Matrix4,
  SphereGeometry,
  TorusKnotGeometry,
  Triangle,
  Vector3,
} from 'three'
import { beforeAll, describe, expect, it } from 'vitest'

import { geometryOf, treeOver } from './decode'
import { fewerEdges, type Full, isWire, levelsOf, partsOf } from './levels'

beforeAll(() => MeshoptSimplifier.ready)

/** Parts one after the other, as one mesh. */
function meshOf(...parts: BufferGeometry[]): Full {
  const [positions, indices]: [number[], number[]] = [[], []]
  for (const part of parts) {
    const first = positions.length / 3
    positions.push(...part.getAttribute('position').array)
    indices.push(...[...part.index!.array].map((i) => i + first))
  }
  return {
    positions: Float32Array.from(positions),
    indices: Uint32Array.from(indices),
    edges: new Float32Array(0),
  }
}

const at = (geometry: BufferGeometry, x: number, y: number, z: number) =>
  geometry.applyMatrix4(new Matrix4().makeTranslation(x, y, z))

/** A panel of upright wires, 5 mm thick. */
const panel = () =>
  meshOf(
    ...Array.from({ length: 8 }, (_, i) =>
      at(new CylinderGeometry(0.0025, 0.0025, 1.8, 10, 6), i * 0.03, 0.9, 0),
    ),
  )

/** Every so many triangles are looked at: not those that the levels were measured at. */
const EACH = 7
/** What is measured at some points may be this much more at others. */
const BETWEEN = 1.2
/** The farthest that any of many points of a mesh is from some of its faces, m. */
function deviation(full: Full, faces: Uint32Array): number {
  const tree = treeOver(geometryOf(full.positions, faces.slice()))
  const [a, b, c, p] = [new Vector3(), new Vector3(), new Vector3(), new Vector3()]
  let farthest = 0
  for (let i = 0; i < full.indices.length; i += 3 * EACH) {
    a.fromArray(full.positions, full.indices[i]! * 3)
    b.fromArray(full.positions, full.indices[i + 1]! * 3)
    c.fromArray(full.positions, full.indices[i + 2]! * 3)
    for (const corner of [a, b, c, new Triangle(a, b, c).getMidpoint(p)])
      farthest = Math.max(farthest, tree.closestPointToPoint(corner)!.distance)
  }
  return farthest
}

describe('levels of a mesh', () => {
  it.each([
    ['a ball', () => meshOf(new SphereGeometry(0.4, 64, 48))],
    ['a knot', () => meshOf(new TorusKnotGeometry(0.3, 0.08, 200, 24))],
    ['a box in fine pieces', () => meshOf(new BoxGeometry(1, 0.6, 0.3, 20, 20, 20))],
    ['a panel of wires', panel],
    [
      'a plate with bolts',
      () =>
        meshOf(
          new BoxGeometry(1, 0.02, 1, 8, 1, 8),
          ...[-0.4, 0, 0.4].map((x) => at(new CylinderGeometry(0.02, 0.02, 0.05, 24), x, 0.03, 0)),
        ),
    ],
  ])('are no farther off than they say: %s', (_, make) => {
    const full = make()
    const levels = levelsOf(full, MeshoptSimplifier)
    expect(levels.length).toBeGreaterThan(0)
    for (const { error, faces } of levels)
      if (faces.length) expect(deviation(full, faces)).toBeLessThanOrEqual(error * BETWEEN)
  })

  it('get coarser and have less', () => {
    const levels = levelsOf(meshOf(new SphereGeometry(0.4, 64, 48)), MeshoptSimplifier)
    for (const [i, level] of levels.entries()) {
      expect(level.error).toBeGreaterThan(levels[i - 1]?.error ?? 0)
      expect(level.faces.length).toBeLessThan(levels[i - 1]?.faces.length ?? Infinity)
    }
  })

  it('keep wires thick where they are thinner than the level may be off', () => {
    const full = panel()
    expect(partsOf(full).filter(isWire)).toHaveLength(8)
    const coarse = levelsOf(full, MeshoptSimplifier).findLast((level) => level.error < 0.05)!
    expect(coarse.faces.length).toBeLessThan(full.indices.length / 4)
    // A wire fallen flat could be seen from two sides only: look along the panel and across it.
    for (const axis of [0, 2]) {
      const seen = new Vector3()
      const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()]
      let area = 0
      for (let i = 0; i < coarse.faces.length; i += 3) {
        a.fromArray(full.positions, coarse.faces[i]! * 3)
        b.fromArray(full.positions, coarse.faces[i + 1]! * 3)
        c.fromArray(full.positions, coarse.faces[i + 2]! * 3)
        seen.crossVectors(b.sub(a), c.sub(a))
        area += Math.abs(seen.getComponent(axis)) / 4
      }
      expect(area / 8).toBeGreaterThan(0.4 * 0.005 * 1.8)
    }
  })

  it('know a wire from a plate and from a bolt', () => {
    const bolt = at(new CylinderGeometry(0.02, 0.02, 0.05, 24), 2, 0, 0)
    const plate = new BoxGeometry(1, 0.02, 1, 8, 1, 8)
    const rod = at(new CylinderGeometry(0.003, 0.003, 1, 12), -2, 0, 0)
    const parts = partsOf(meshOf(bolt, plate, rod))
    expect(parts.map(isWire)).toEqual([false, false, true])
    expect(parts[2]!.thickness).toBeCloseTo(0.006, 3)
    expect(parts[2]!.length).toBeCloseTo(1, 2)
    expect(parts.map((part) => part.faces.length)).toEqual(
      [bolt, plate, rod].map((geometry) => geometry.index!.count),
    )
  })
})

describe('fewer edges', () => {
  const ends = (...of: number[]) => Float32Array.from(of)

  it('leave out what is shorter than the grid and draw together what falls together', () => {
    const some = ends(0, 0, 0, 1, 0, 0, 0, 0.001, 0, 1, 0.001, 0, 0, 0, 0, 0.002, 0, 0)
    expect([...fewerEdges(some, 0.01)]).toEqual([0, 1])
    expect([...fewerEdges(some, 0.0001)]).toEqual([0, 1, 2, 3, 0, 5])
  })

  it('take ends to others of the same mesh that are near', () => {
    const far = Float32Array.from({ length: 600 }, () => Math.random())
    const grid = 0.05
    const kept = fewerEdges(far, grid)
    const [a, b] = [new Vector3(), new Vector3()]
    for (let end = 0; end < 200; end++) {
      a.fromArray(far, end * 3)
      const near = [...kept].some(
        (k) => a.distanceTo(b.fromArray(far, k * 3)) < grid * Math.sqrt(3),
      )
      const other = b.fromArray(far, (end ^ 1) * 3)
      if (a.distanceTo(other) > grid * 2 * Math.sqrt(3)) expect(near).toBe(true)
    }
  })
})
