import { BoxGeometry, CylinderGeometry } from 'three'
import { mergeVertices } from 'three/addons/utils/BufferGeometryUtils.js'
import { describe, expect, it } from 'vitest'

import { shadedCorners } from './creases'

const CREASE = (25 * Math.PI) / 180

function welded(geometry: BoxGeometry | CylinderGeometry) {
  geometry.deleteAttribute('normal')
  geometry.deleteAttribute('uv')
  const merged = mergeVertices(geometry)
  return [
    merged.getAttribute('position').array as Float32Array,
    new Uint32Array(merged.getIndex()!.array),
  ] as const
}

describe('corners for shading', () => {
  it('a box has three normals at each of its eight corners', () => {
    const [positions, triangles] = welded(new BoxGeometry(1, 2, 3))
    expect(positions.length / 3).toBe(8)
    const { normals, indices } = shadedCorners(positions, triangles, CREASE)
    expect(normals.length / 3).toBe(24)
    expect(indices.length).toBe(36)
    for (let i = 0; i < normals.length; i += 3)
      expect(Math.max(...[0, 1, 2].map((k) => Math.abs(normals[i + k]!)))).toBeCloseTo(1, 6)
  })

  it('a drum is smooth round its side and sharp at its rims', () => {
    const [positions, triangles] = welded(new CylinderGeometry(1, 1, 2, 48))
    const { normals, positions: places } = shadedCorners(positions, triangles, CREASE)
    // Two rims of 48 with a side and a lid normal each, and the two middles.
    expect(normals.length / 3).toBe(48 * 4 + 2)
    for (let i = 0; i < normals.length; i += 3) {
      if (Math.abs(normals[i + 1]!) > 0.5) continue
      const outwards = normals[i]! * places[i]! + normals[i + 2]! * places[i + 2]!
      expect(outwards).toBeGreaterThan(0.998)
    }
  })

  it('every corner keeps its place', () => {
    const [positions, triangles] = welded(new BoxGeometry(1, 1, 1, 3, 3, 3))
    const { positions: places, indices } = shadedCorners(positions, triangles, CREASE)
    indices.forEach((at, corner) => {
      for (let k = 0; k < 3; k++)
        expect(places[at * 3 + k]).toBe(positions[triangles[corner]! * 3 + k])
    })
  })
})
