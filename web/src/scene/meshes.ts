import * as THREE from 'three'
import { toCreasedNormals } from 'three/addons/utils/BufferGeometryUtils.js'

import { bytes } from '../api/client'

export interface DrawnMesh {
  faces: THREE.BufferGeometry
  edges: THREE.BufferGeometry
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
  const indexed = new THREE.BufferGeometry()
  indexed.setAttribute('position', new THREE.BufferAttribute(positions, 3))
  indexed.setIndex(new THREE.BufferAttribute(new Uint32Array(buffer, 12 + vertices * 12, triangles * 3), 1))
  const faces = toCreasedNormals(indexed, CREASE)
  faces.computeBoundingBox()
  faces.computeBoundingSphere()
  faces.computeBoundsTree()
  const lines = new THREE.BufferGeometry()
  lines.setAttribute('position', indexed.getAttribute('position'))
  lines.setIndex(new THREE.BufferAttribute(new Uint32Array(buffer, 12 + vertices * 12 + triangles * 12, edges * 2), 1))
  return { faces, edges: lines }
}
