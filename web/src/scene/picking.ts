import * as THREE from 'three'

import type { Vec3 } from '../api/client'
import type { Bodies } from './bodies'

export interface Hit {
  item: string
  /** Index of the body in the cell's list, and the triangle of its mesh; none for a frame. */
  body?: number
  triangle?: number
  /** mm */
  at: Vec3
  /** Towards the outside of the face that was hit. */
  normal?: Vec3
}

const sphere = new THREE.Sphere()
const inverse = new THREE.Matrix4()
const local = new THREE.Ray()

/** What a ray meets of the shown bodies, nearest first, each body once. */
export function pickAll(bodies: Bodies, ray: THREE.Ray, shown: (item: string) => boolean, clip: THREE.Plane[]): Hit[] {
  const hits: { distance: number; hit: Hit }[] = []
  bodies.bodies.forEach((body, index) => {
    if (!shown(body.item)) return
    const matrix = bodies.nodes[body.node]!.matrix
    if (!ray.intersectsSphere(sphere.copy(body.mesh.ball).applyMatrix4(matrix))) return
    local.copy(ray).applyMatrix4(inverse.copy(matrix).invert())
    const inside = (at: THREE.Vector3) => clip.every((p) => p.distanceToPoint(at.clone().applyMatrix4(matrix)) >= 0)
    const found = clip.length
      ? body.mesh.tree.raycast(local, THREE.DoubleSide).filter((f) => inside(f.point)).sort((a, b) => a.distance - b.distance)[0]
      : body.mesh.tree.raycastFirst(local, THREE.DoubleSide)
    if (!found) return
    const at = found.point.clone().applyMatrix4(matrix)
    const normal = found.face!.normal.clone().transformDirection(matrix)
    hits.push({
      distance: at.distanceTo(ray.origin),
      hit: { item: body.item, body: index, triangle: found.faceIndex!, at: at.multiplyScalar(1e3).toArray(), normal: normal.toArray() },
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
export function cornerNear(bodies: Bodies, hit: Hit, [x, y]: [number, number], project: Project): Vec3 {
  const body = hit.body === undefined ? undefined : bodies.bodies[hit.body]
  if (!body) return hit.at
  const { geometry } = body.mesh.tree
  const position = geometry.getAttribute('position')
  const matrix = bodies.nodes[body.node]!.matrix
  const corners = [0, 1, 2].flatMap((i) => {
    const v = geometry.index ? geometry.index.getX(hit.triangle! * 3 + i) : hit.triangle! * 3 + i
    const at = new THREE.Vector3().fromBufferAttribute(position, v).applyMatrix4(matrix).divideScalar(M).toArray()
    const seen = project(at)
    return seen ? { at, off: Math.hypot(seen[0] - x, seen[1] - y) } : []
  })
  const near = corners.sort((a, b) => a.off - b.off)[0]
  return near && near.off < CORNER ? near.at : hit.at
}

/** Visible items whose boxes a rectangle of pixels holds wholly, or touches. */
export function within(
  bodies: Bodies, visible: Set<string>, project: Project, from: [number, number], to: [number, number], touching: boolean,
): string[] {
  const [x0, x1] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])]
  const [y0, y1] = [Math.min(from[1], to[1]), Math.max(from[1], to[1])]
  const inside = new Map<string, boolean>()
  for (const body of bodies.bodies) {
    if (!visible.has(body.item)) continue
    const { min, max } = body.mesh.box
    const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((i) =>
      new THREE.Vector3(i & 1 ? max.x : min.x, i & 2 ? max.y : min.y, i & 4 ? max.z : min.z)
        .applyMatrix4(bodies.nodes[body.node]!.matrix).divideScalar(M))
    const seen = corners.map((c) => project(c.toArray())).filter((p) => p !== null)
    const [lx, hx] = [Math.min(...seen.map((p) => p[0])), Math.max(...seen.map((p) => p[0]))]
    const [ly, hy] = [Math.min(...seen.map((p) => p[1])), Math.max(...seen.map((p) => p[1]))]
    const whole = seen.length === 8 && lx >= x0 && hx <= x1 && ly >= y0 && hy <= y1
    const touched = seen.length > 0 && lx <= x1 && hx >= x0 && ly <= y1 && hy >= y0
    inside.set(body.item, touching ? (inside.get(body.item) ?? false) || touched : (inside.get(body.item) ?? true) && whole)
  }
  return [...inside].filter(([, yes]) => yes).map(([item]) => item)
}
