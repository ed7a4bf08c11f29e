/** A mesh as the server sends it, made ready to be drawn and picked. */
import * as THREE from 'three'
import { MeshBVH } from 'three-mesh-bvh'

import { type Shaded, shadedCorners } from './creases'

/** Joins flatter than this are shaded smooth, as the core leaves them without an edge. */
export const CREASE = THREE.MathUtils.degToRad(25)

/** Flat arrays only, so that a worker can hand it over. */
export interface Decoded {
  positions: Float32Array
  /** Triangles in the core's order. */
  faces: Uint32Array
  corners: Shaded
  /** Two ends a feature edge. */
  edges: Float32Array
}

export function decode(buffer: ArrayBuffer): Decoded {
  const { positions, faces, ends } = arraysOf(buffer)
  const edges = new Float32Array(ends.length * 3)
  ends.forEach((v, i) => edges.set(positions.subarray(v * 3, v * 3 + 3), i * 3))
  return { positions, faces, corners: shadedCorners(positions, faces, CREASE), edges }
}

export function arraysOf(buffer: ArrayBuffer) {
  const [vertices = 0, triangles = 0, edges = 0] = new Uint32Array(buffer, 0, 3)
  return {
    positions: new Float32Array(buffer, 12, vertices * 3),
    faces: new Uint32Array(buffer, 12 + vertices * 12, triangles * 3),
    ends: new Uint32Array(buffer, 12 + vertices * 12 + triangles * 12, edges * 2),
  }
}

export const treeOver = (geometry: THREE.BufferGeometry) =>
  new MeshBVH(geometry, { indirect: true })

export function geometryOf(positions: Float32Array, faces: Uint32Array): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  return geometry.setIndex(new THREE.BufferAttribute(faces, 1))
}
