import * as THREE from 'three'
import { describe, expect, it } from 'vitest'

import { softEdges } from './contours'

/** Corners shared, as the server sends them. */
function shared(geometry: THREE.BufferGeometry) {
  const places = new Map<string, number>()
  const positions: number[] = []
  const given = geometry.getAttribute('position')
  const joined = [...geometry.getIndex()!.array].map((i) => {
    const place = [given.getX(i), given.getY(i), given.getZ(i)].map(
      (x) => Math.round(x * 1e5) / 1e5 + 0,
    )
    const name = place.join()
    if (!places.has(name)) {
      places.set(name, positions.length / 3)
      positions.push(...place)
    }
    return places.get(name)!
  })
  const triangles = joined
    .flatMap((_, i) => (i % 3 ? [] : [joined.slice(i, i + 3)]))
    .filter(([a, b, c]) => a !== b && b !== c && c !== a)
  return [new Float32Array(positions), new Uint32Array(triangles.flat())] as const
}
const CREASE = (25 * Math.PI) / 180
const facing = (normals: Int16Array, e: number, [x, y, z]: number[]) =>
  Math.sign(normals[e * 4]! * x! + normals[e * 4 + 1]! * y! + normals[e * 4 + 2]! * z!)

describe('edges between faces that join smoothly', () => {
  const sides = 24
  const drum = shared(new THREE.CylinderGeometry(1, 1, 2, sides))

  it('are the sides of a drum, not its rims nor what is flat', () => {
    const edges = softEdges(...drum, CREASE)
    expect(edges.from.length / 3).toBe(sides)
    for (let e = 0; e < sides; e++) expect(edges.from[e * 3 + 1]).toBe(-edges.to[e * 3 + 1]!)
  })

  it('give a drum seen from aside two outlines, whichever way its faces are wound', () => {
    const [positions, triangles] = drum
    const mixed = triangles.slice()
    for (let t = 0; t < mixed.length; t += 9) [mixed[t], mixed[t + 1]] = [mixed[t + 1]!, mixed[t]!]
    for (const wound of [triangles, mixed]) {
      const edges = softEdges(positions, wound, CREASE)
      for (const turn of [0.1, 1.3, 2.9, 4.4]) {
        const eye = [Math.cos(turn), 0.2, Math.sin(turn)]
        const drawn = Array.from(
          { length: sides },
          (_, e) => facing(edges.left, e, eye) * facing(edges.right, e, eye) <= 0,
        )
        expect(drawn.filter(Boolean)).toHaveLength(2)
      }
    }
  })

  it('are all edges of a ball but the diagonals of its flat facets', () => {
    const [positions, triangles] = shared(new THREE.SphereGeometry(1, 18, 12))
    expect(softEdges(positions, triangles, CREASE).from.length / 3).toBe(
      triangles.length / 2 - 18 * 10,
    )
  })
})
