import type * as THREE from 'three'
import { MeshBVH, type SerializedBVH } from 'three-mesh-bvh'

import { bytes as fetched } from '../api/client'
import { type SoftEdges, softEdges } from './contours'
import type { Shaded } from './creases'
import type { Full, Level } from './levels'
import { CREASE, decode, type Decoded, geometryOf, treeOver } from './decode'

export interface DrawnMesh {
  /** Triangles in the core's order. */
  geometry: THREE.BufferGeometry
  /** Over these, for picking; null while that of a large mesh is still built aside. */
  readonly tree: MeshBVH | null
  ball: THREE.Sphere
  box: THREE.Box3
  corners: Shaded
  /** Two ends a feature edge. */
  edges: Float32Array
  /** The same with less, finest first: where there is no graphics card, and a little later. */
  levels?: Level[]
  /** The edges between, found when first asked for. */
  soft: () => SoftEdges
}

const loaded = new Map<string, DrawnMesh>()

/** From so many on, small meshes are fetched together; others so many at a time. */
const TOGETHER = 64
const AT_A_TIME = 12
/** Larger ones, from some hundred thousand triangles on, are decoded aside. */
const LARGE_BYTES = 2_000_000

/** Meshes by the names of their contents: fetched once, shared by all bodies that have them. */
export function loadMeshes(
  cell: string,
  bodies: { mesh: string }[],
): Promise<Map<string, DrawnMesh>> {
  // One after the other: what the first fetches the second has.
  const mine = before.then(() => fetchMissing(cell, bodies))
  before = mine.catch(() => undefined)
  return mine.then(() => loaded)
}
let before: Promise<unknown> = Promise.resolve()
async function fetchMissing(cell: string, bodies: { mesh: string }[]) {
  const missing = () => [...new Set(bodies.map((b) => b.mesh))].filter((name) => !loaded.has(name))
  if (missing().length > TOGETHER)
    for (const [name, bytes] of unpack(await fetched(`/api/cells/${cell}/small-meshes`)))
      await keep(name, bytes)
  const queue = missing()
  const fetchNext = async () => {
    for (let name = queue.pop(); name; name = queue.pop())
      await keep(name, await fetched(`/api/cells/${cell}/meshes/${name}`))
  }
  await Promise.all(Array.from({ length: AT_A_TIME }, fetchNext))
}
async function keep(name: string, bytes: ArrayBuffer) {
  loaded.set(
    name,
    bytes.byteLength > LARGE_BYTES ? await drawnAside(bytes) : drawn(decode(bytes), treeOver),
  )
}

/** Builds what picking needs while there is nothing else to do. */
export function prepareForPicking(meshes: Iterable<DrawnMesh>) {
  const queue = [...new Set(meshes)]
  // Not every browser tells when it is idle: there they are built when first asked for.
  if (!('requestIdleCallback' in globalThis)) return
  const some = (idle: IdleDeadline) => {
    while (queue.length && idle.timeRemaining() > 2) void queue.pop()!.tree
    if (queue.length) requestIdleCallback(some)
  }
  requestIdleCallback(some)
}

/** Makes levels of meshes that have none, one after the other, aside. */
export function prepareLevels(meshes: Iterable<DrawnMesh>) {
  const queue = [...new Set(meshes)].filter((mesh) => !mesh.levels)
  if (!queue.length) return
  const by = new Worker(new URL('./levels.worker.ts', import.meta.url), { type: 'module' })
  const ask = (mesh: DrawnMesh) => {
    const { positions, indices } = mesh.corners
    by.postMessage({ positions, indices, edges: mesh.edges } satisfies Full)
  }
  const made = (levels: Level[]) => {
    queue.shift()!.levels = levels
    const [next] = queue
    if (next) ask(next)
    else by.terminate()
  }
  by.onmessage = ({ data }: MessageEvent<Level[]>) => made(data)
  // One that can't be made simpler is drawn as it is.
  by.onerror = (e) => {
    e.preventDefault()
    made([])
  }
  ask(queue[0]!)
}

const NAME = 64
/** Each mesh with its name. */
function* unpack(all: ArrayBuffer): Generator<[string, ArrayBuffer]> {
  const read = new DataView(all)
  for (let at = 0; at < all.byteLength;) {
    const name = String.fromCharCode(...new Uint8Array(all, at, NAME))
    const start = at + NAME + 4
    at = start + read.getUint32(at + NAME, true)
    yield [name, all.slice(start, at)]
  }
}

let worker: Worker | undefined
let asked = 0
type Answer = { id: number; mesh: Decoded } | { id: number; tree: SerializedBVH }
/** Decoded beside the page: seen first, pickable a little later. */
function drawnAside(buffer: ArrayBuffer): Promise<DrawnMesh> {
  const mine = ++asked
  const by = (worker ??= new Worker(new URL('./decode.worker.ts', import.meta.url), {
    type: 'module',
  }))
  return new Promise((done, fail) => {
    let [mesh, tree]: [DrawnMesh | null, MeshBVH | null] = [null, null]
    const answer = ({ data }: MessageEvent<Answer>) => {
      if (data.id !== mine) return
      if ('mesh' in data) return done((mesh = drawn(data.mesh, () => tree)))
      by.removeEventListener('message', answer)
      tree = MeshBVH.deserialize(data.tree, mesh!.geometry, { setIndex: false })
    }
    by.addEventListener('message', answer)
    const failed = (e: ErrorEvent) => {
      // The next one begins with a worker of its own.
      if (worker === by) worker = undefined
      fail(new Error(e.message))
    }
    by.addEventListener('error', failed, { once: true })
    by.postMessage({ id: mine, buffer }, [buffer])
  })
}

function drawn(
  { positions, faces, corners, edges }: Decoded,
  grow: (geometry: THREE.BufferGeometry) => MeshBVH | null,
): DrawnMesh {
  const geometry = geometryOf(positions, faces)
  geometry.computeBoundingBox()
  geometry.computeBoundingSphere()
  let soft: SoftEdges | undefined
  let tree: MeshBVH | null = null
  return {
    geometry,
    get tree() {
      return (tree ??= grow(geometry))
    },
    ball: geometry.boundingSphere!,
    box: geometry.boundingBox!,
    corners,
    edges,
    soft: () => (soft ??= softEdges(positions, faces, CREASE)),
  }
}
