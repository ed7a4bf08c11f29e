import * as THREE from 'three'
import { MeshBVH } from 'three-mesh-bvh'

import { bytes } from '../api/client'
import { type SoftEdges, softEdges } from './contours'
import { type Shaded, shadedCorners } from './creases'

export interface DrawnMesh {
  /** Triangles in the core's order, for picking. */
  picked: THREE.BufferGeometry
  tree: MeshBVH
  ball: THREE.Sphere
  box: THREE.Box3
  corners: Shaded
  /** Two ends a feature edge. */
  edges: Float32Array
  /** The edges between, found when first asked for. */
  soft: () => SoftEdges
}

const loaded = new Map<string, Promise<DrawnMesh>>()

/** Joins flatter than this are shaded smooth, as the core leaves them without an edge. */
const CREASE = THREE.MathUtils.degToRad(25)

/** A mesh by the name of its content: fetched once, shared by all bodies that have it. */
export function loadMesh(cell: string, name: string): Promise<DrawnMesh> {
  let mesh = loaded.get(name)
  if (!mesh) {
    mesh = bytes(`/api/cells/${cell}/meshes/${name}`).then(decode)
    mesh.catch(() => loaded.delete(name))
    loaded.set(name, mesh)
  }
  return mesh
}

function decode(buffer: ArrayBuffer): DrawnMesh {
  const [vertices = 0, triangles = 0, edges = 0] = new Uint32Array(buffer, 0, 3)
  const positions = new Float32Array(buffer, 12, vertices * 3)
  const picked = new THREE.BufferGeometry()
  picked.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  const faces = new Uint32Array(buffer, 12 + vertices * 12, triangles * 3)
  picked.setIndex(new THREE.BufferAttribute(faces, 1))
  picked.computeBoundingBox()
  picked.computeBoundingSphere()
  const ends = new Uint32Array(buffer, 12 + vertices * 12 + triangles * 12, edges * 2)
  const lines = new Float32Array(ends.length * 3)
  ends.forEach((v, i) => lines.set(positions.subarray(v * 3, v * 3 + 3), i * 3))
  let soft: SoftEdges | undefined
  return {
    picked,
    tree: new MeshBVH(picked, { indirect: true }),
    ball: picked.boundingSphere!,
    box: picked.boundingBox!,
    corners: shadedCorners(positions, faces, CREASE),
    edges: lines,
    soft: () => (soft ??= softEdges(positions, faces, CREASE)),
  }
}
