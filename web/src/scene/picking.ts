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
