import * as THREE from 'three'
import { CONTAINED, INTERSECTED, type MeshBVH, NOT_INTERSECTED } from 'three-mesh-bvh'

import type { Vec3 } from '../api/client'
import type { Bodies } from './bodies'
import type { Cutaway } from './cutaway'

export interface Hit {
  item: string
  /** Index of the body in the cell's list, and the triangle of its mesh; none for a frame. */
  body?: number
  triangle?: number
  /** mm */
  at: Vec3
  /** Towards the outside of the face that was hit. */
  normal?: Vec3
  /** Whether it is a cut face, which is no face of the body. */
  cut?: boolean
}

const sphere = new THREE.Sphere()
const inverse = new THREE.Matrix4()
const local = new THREE.Ray()

/** What a ray meets of the shown bodies, nearest first, each body once. */
export function pickAll(
  bodies: Bodies,
  ray: THREE.Ray,
  shown: (item: string) => boolean,
  cutaway: Cutaway,
): Hit[] {
  const hits: { distance: number; hit: Hit }[] = []
  bodies.bodies.forEach((body, index) => {
    const { tree } = body.mesh
    if (!tree || !shown(body.item)) return
    const matrix = bodies.nodes[body.node]!.matrix
    if (!ray.intersectsSphere(sphere.copy(body.mesh.ball).applyMatrix4(matrix))) return
    local.copy(ray).applyMatrix4(inverse.copy(matrix).invert())
    const inside = (at: THREE.Vector3) => cutaway.keeps(at.clone().applyMatrix4(matrix), body.item)
    const found = cutaway.pieces.length
      ? tree
          .raycast(local, THREE.DoubleSide)
          .filter((f) => inside(f.point))
          .sort((a, b) => a.distance - b.distance)[0]
      : tree.raycastFirst(local, THREE.DoubleSide)
    if (!found) return
    const at = found.point.clone().applyMatrix4(matrix)
    const normal = found.face!.normal.clone().transformDirection(matrix)
    hits.push({
      distance: at.distanceTo(ray.origin),
      hit: {
        item: body.item,
        body: index,
        triangle: found.faceIndex!,
        at: at.multiplyScalar(1e3).toArray(),
        normal: normal.toArray(),
      },
    })
  })
  return hits.sort((a, b) => a.distance - b.distance).map((h) => h.hit)
}

/** Where a point (mm) appears, in pixels; null behind the eye. */
type Project = (at: Vec3) => [number, number] | null
/** Pixels from which a corner is meant rather than the face. */
const CORNER = 14
const M = 1e-3

/** The corner (mm) of a hit triangle nearest to a pixel, if one is near; else the hit itself. */
export function cornerNear(
  bodies: Bodies,
  hit: Hit,
  [x, y]: [number, number],
  project: Project,
): Vec3 {
  const body = hit.body === undefined ? undefined : bodies.bodies[hit.body]
  if (!body) return hit.at
  const { geometry } = body.mesh
  const position = geometry.getAttribute('position')
  const matrix = bodies.nodes[body.node]!.matrix
  const corners = [0, 1, 2].flatMap((i) => {
    const v = geometry.index ? geometry.index.getX(hit.triangle! * 3 + i) : hit.triangle! * 3 + i
    const at = new THREE.Vector3()
      .fromBufferAttribute(position, v)
      .applyMatrix4(matrix)
      .divideScalar(M)
      .toArray()
    const seen = project(at)
    return seen ? { at, off: Math.hypot(seen[0] - x, seen[1] - y) } : []
  })
  const near = corners.sort((a, b) => a.off - b.off)[0]
  return near && near.off < CORNER ? near.at : hit.at
}

/**
 * Visible items that lie wholly between planes which look inwards, or reach between them; what is
 * cut away counts for nothing.
 */
export function within(
  bodies: Bodies,
  visible: Set<string>,
  sides: THREE.Plane[],
  cutaway: Cutaway,
  touching: boolean,
): string[] {
  const found = new Map<string, boolean>()
  for (const body of bodies.bodies) {
    const before = found.get(body.item)
    // The first that touches decides, and the first that does not lie inside.
    const { tree } = body.mesh
    if (!tree || !visible.has(body.item) || before === touching) continue
    const back = inverse.copy(bodies.nodes[body.node]!.matrix).invert()
    const local = (p: THREE.Plane) => p.clone().applyMatrix4(back)
    const inside = sides.map(local)
    const left = cutaway.left(body.item).map((cell) => cell.map(local))
    const reaches = left.some((cell) => reachesBetween(tree, [...inside, ...cell]))
    if (touching) found.set(body.item, reaches)
    else if (reaches) found.set(body.item, liesBetween(body.mesh.geometry, inside, left))
    // Cut away wholly it says nothing; outside it says no.
    else if (left.some((cell) => reachesBetween(tree, cell))) found.set(body.item, false)
  }
  return [...found].filter(([, yes]) => yes).map(([item]) => item)
}

/** Whether any part of a mesh lies between planes that look inwards. */
function reachesBetween(tree: MeshBVH, planes: THREE.Plane[]): boolean {
  return tree.shapecast({
    intersectsBounds(box) {
      let wholly = true
      for (const { normal: n, constant: c } of planes) {
        const far =
          n.x * (n.x > 0 ? box.max.x : box.min.x) +
          n.y * (n.y > 0 ? box.max.y : box.min.y) +
          n.z * (n.z > 0 ? box.max.z : box.min.z) +
          c
        if (far < 0) return NOT_INTERSECTED
        const near =
          n.x * (n.x > 0 ? box.min.x : box.max.x) +
          n.y * (n.y > 0 ? box.min.y : box.max.y) +
          n.z * (n.z > 0 ? box.min.z : box.max.z) +
          c
        wholly &&= near >= 0
      }
      return wholly ? CONTAINED : INTERSECTED
    },
    intersectsTriangle: ({ a, b, c }, _, contained) =>
      contained || planes.reduce(cutBy, [a, b, c]).length > 0,
  })
}

/** What of a convex polygon lies on the inner side of a plane. */
function cutBy(polygon: THREE.Vector3[], plane: THREE.Plane): THREE.Vector3[] {
  return polygon.flatMap((from, i) => {
    const to = polygon[(i + 1) % polygon.length]!
    const [d, e] = [plane.distanceToPoint(from), plane.distanceToPoint(to)]
    const kept = d >= 0 ? [from] : []
    return d * e < 0 ? [...kept, from.clone().lerp(to, d / (d - e))] : kept
  })
}

/** Whether all vertices of a mesh that are left lie between planes. */
function liesBetween(
  geometry: THREE.BufferGeometry,
  planes: THREE.Plane[],
  left: THREE.Plane[][],
): boolean {
  const isIn = (cell: THREE.Plane[]) => cell.every((p) => p.distanceToPoint(at) >= 0)
  const position = geometry.getAttribute('position')
  const at = new THREE.Vector3()
  for (let i = 0; i < position.count; i++) {
    at.fromBufferAttribute(position, i)
    if (!isIn(planes) && left.some(isIn)) return false
  }
  return true
}
