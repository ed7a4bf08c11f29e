import * as THREE from 'three'
import { MeshBVH } from 'three-mesh-bvh'

import { bytes as fetched } from '../api/client'
import { type SoftEdges, softEdges } from './contours'
import { type Shaded, shadedCorners } from './creases'

export interface DrawnMesh {
  /** For picking, triangles in the core's order; built when first asked for. */
  readonly tree: MeshBVH
  ball: THREE.Sphere
  box: THREE.Box3
  corners: Shaded
  /** Two ends a feature edge. */
  edges: Float32Array
  /** The edges between, found when first asked for. */
  soft: () => SoftEdges
}

const loaded = new Map<string, DrawnMesh>()

/** Joins flatter than this are shaded smooth, as the core leaves them without an edge. */
const CREASE = THREE.MathUtils.degToRad(25)

/** From so many on, small meshes are fetched together; others so many at a time. */
const TOGETHER = 64
const AT_A_TIME = 12

/** Meshes by the names of their contents: fetched once, shared by all bodies that have them. */
export function loadMeshes(cell: string, bodies: { mesh: string }[]): Promise<Map<string, DrawnMesh>> {
  // One after the other: what the first fetches the second has.
  const mine = before.then(() => fetchMissing(cell, bodies))
  before = mine.catch(() => undefined)
  return mine.then(() => loaded)
}
let before: Promise<unknown> = Promise.resolve()
async function fetchMissing(cell: string, bodies: { mesh: string }[]) {
  const missing = () => [...new Set(bodies.map((b) => b.mesh))].filter((name) => !loaded.has(name))
  if (missing().length > TOGETHER) for (const [name, bytes] of unpack(await fetched(`/api/cells/${cell}/small-meshes`))) keep(name, bytes)
  const queue = missing()
  const fetchNext = async () => {
    for (let name = queue.pop(); name; name = queue.pop()) keep(name, await fetched(`/api/cells/${cell}/meshes/${name}`))
  }
  await Promise.all(Array.from({ length: AT_A_TIME }, fetchNext))
}
function keep(name: string, bytes: ArrayBuffer) {
  if (!loaded.has(name)) loaded.set(name, decode(bytes))
}

/** Builds what picking needs while there is nothing else to do. */
export function prepareForPicking(meshes: Iterable<DrawnMesh>) {
  const queue = [...new Set(meshes)]
  const some = (idle: IdleDeadline) => {
    while (queue.length && idle.timeRemaining() > 2) void queue.pop()!.tree
    if (queue.length) requestIdleCallback(some)
  }
  requestIdleCallback(some)
}

const NAME = 64
/** Each mesh with its name. */
function* unpack(all: ArrayBuffer): Generator<[string, ArrayBuffer]> {
  const read = new DataView(all)
  for (let at = 0; at < all.byteLength; ) {
    const name = String.fromCharCode(...new Uint8Array(all, at, NAME))
    const start = at + NAME + 4
    at = start + read.getUint32(at + NAME, true)
    yield [name, all.slice(start, at)]
  }
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
  let tree: MeshBVH | undefined
  return {
    get tree() {
      return (tree ??= new MeshBVH(picked, { indirect: true }))
    },
    ball: picked.boundingSphere!,
    box: picked.boundingBox!,
    corners: shadedCorners(positions, faces, CREASE),
    edges: lines,
    soft: () => (soft ??= softEdges(positions, faces, CREASE)),
  }
}
