import * as THREE from 'three'
import { describe, expect, it } from 'vitest'

import type { Vec3, Viewpoint } from '../api/client'
import type { Bodies } from './bodies'
import { Cutaway } from './cutaway'
import { Cameras, type Pixel } from './cameras'
import { decode, geometryOf, treeOver } from './decode'
import { pickAll, within } from './picking'

/** One pixel is one millimetre, seen from the front; the origin is in the middle. */
const front: Viewpoint = {
  pivot_mm: [0, 0, 0],
  bearing_deg: 0,
  elevation_deg: 0,
  roll_deg: 0,
  distance_mm: 5000,
  projection: 'parallel',
  lens_mm: 35,
  width_mm: 1000,
}
const sight = { viewpoint: front, width: 1000, height: 1000 }
const pixel = (x_mm: number, z_mm: number): Pixel => [500 + x_mm, 500 - z_mm]

/** A bar of 800 mm that falls to the right at 45°, and a cube of 100 mm behind it. */
function cell(): Bodies {
  const mesh = (size: Vec3) => {
    const box = new THREE.BoxGeometry(...size)
    const geometry = geometryOf(
      new Float32Array(box.getAttribute('position').array),
      new Uint32Array(box.index!.array),
    )
    geometry.computeBoundingSphere()
    return { geometry, tree: treeOver(geometry), ball: geometry.boundingSphere! }
  }
  const places = [
    new THREE.Matrix4().makeRotationY(Math.PI / 4),
    new THREE.Matrix4().makeTranslation(0, 1, 0),
  ]
  return {
    bodies: [
      { item: 'bar', node: 0, mesh: mesh([0.8, 0.01, 0.01]) },
      { item: 'cube', node: 1, mesh: mesh([0.1, 0.1, 0.1]) },
    ],
    nodes: places.map((matrix) => ({ matrix })),
  } as unknown as Bodies
}
const all = new Set(['bar', 'cube'])
/** Each plane, which faces what is kept, takes away what lies behind it. */
const cutBy = (planes: THREE.Plane[]) => new Cutaway(planes.map((plane) => [plane]))
const found = (
  from: Pixel,
  to: Pixel,
  touching: boolean,
  planes: THREE.Plane[] = [],
  visible = all,
) => within(cell(), visible, new Cameras().sides(sight, from, to), cutBy(planes), touching).sort()

describe('a rectangle on the picture', () => {
  it('takes what it touches by the triangles, not by a box round them', () => {
    expect(found(pixel(100, 250), pixel(250, 100), true)).toEqual([])
    expect(found(pixel(100, -100), pixel(250, -250), true)).toEqual(['bar'])
    // Whichever way it was drawn.
    expect(found(pixel(250, -250), pixel(100, -100), true)).toEqual(['bar'])
    expect(found(pixel(-20, 20), pixel(20, -20), true)).toEqual(['bar', 'cube'])
  })

  it('takes what lies wholly inside, of what is shown', () => {
    expect(found(pixel(-300, 300), pixel(300, -300), false)).toEqual(['bar', 'cube'])
    expect(found(pixel(-300, 300), pixel(200, -300), false)).toEqual(['cube'])
    expect(found(pixel(-300, 300), pixel(300, -300), false, [], new Set(['bar']))).toEqual(['bar'])
  })

  it('counts nothing that a section takes away', () => {
    const left = [new THREE.Plane(new THREE.Vector3(-1, 0, 0), 0)]
    expect(found(pixel(100, -100), pixel(250, -250), true, left)).toEqual([])
    expect(found(pixel(-300, 300), pixel(10, -60), false, left)).toEqual(['bar', 'cube'])
    const nothing = [new THREE.Plane(new THREE.Vector3(-1, 0, 0), -1)]
    expect(found(pixel(-300, 300), pixel(300, -300), false, nothing)).toEqual([])
  })
})

describe('what lies under a pixel', () => {
  it('comes nearest first, with the place and the face', () => {
    const hits = pickAll(
      cell(),
      new Cameras().ray(sight, ...pixel(0, 0)),
      () => true,
      new Cutaway(),
    )
    expect(hits.map((h) => h.item)).toEqual(['bar', 'cube'])
    expect(hits[1]!.at.map((x) => Math.round(x) + 0)).toEqual([0, 950, 0])
    expect(hits[1]!.normal!.map((x) => Math.round(x) + 0)).toEqual([0, -1, 0])
  })

  it.each(['parallel', 'perspective'] as const)(
    'appears where it is picked, in %s',
    (projection) => {
      const view = {
        viewpoint: { ...front, projection, bearing_deg: 37, elevation_deg: 21 },
        width: 800,
        height: 500,
      }
      const cameras = new Cameras()
      const at = cameras.onPlane(view, [123, 321], [40, -30, 20])!
      const seen = cameras.project(view, at)!
      expect(seen[0]).toBeCloseTo(123, 6)
      expect(seen[1]).toBeCloseTo(321, 6)
    },
  )

  it('behind the eye appears nowhere', () => {
    const view = { ...sight, viewpoint: { ...front, projection: 'perspective' as const } }
    expect(new Cameras().project(view, [0, -6000, 0])).toBeNull()
  })
})

describe('a mesh as it is sent', () => {
  it('is read back: vertices, triangles, feature edges', () => {
    const words = new Uint32Array([3, 1, 2])
    const vertices = new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0])
    const rest = new Uint32Array([0, 1, 2, /* edges */ 0, 1, 1, 2])
    const bytes = new Uint8Array(
      [words, vertices, rest].flatMap((a) => [...new Uint8Array(a.buffer)]),
    )
    const mesh = decode(bytes.buffer)
    expect([...mesh.positions]).toEqual([...vertices])
    expect([...mesh.faces]).toEqual([0, 1, 2])
    expect([...mesh.edges]).toEqual([0, 0, 0, 1, 0, 0, 1, 0, 0, 0, 1, 0])
    expect([...mesh.corners.normals]).toEqual([0, 0, 1, 0, 0, 1, 0, 0, 1])
  })
})
