import * as THREE from 'three'

import type { Bodies } from './bodies'

const NEAREST = 0.0007
const box = new THREE.Box3()
const local = new THREE.Vector3()

/** From how near to how far (m) there is something to be seen from `eye`. */
export function depthRange(
  eye: THREE.Vector3,
  bodies: Bodies | undefined,
  extent: THREE.Sphere,
): [number, number] {
  let nearest = Math.abs(eye.z)
  for (const body of bodies?.bodies ?? []) {
    const matrix = bodies!.nodes[body.node]!.matrix
    box.copy(body.mesh.box).applyMatrix4(matrix)
    const apart = box.distanceToPoint(eye)
    if (apart >= nearest) continue
    if (apart > 0.05) {
      nearest = apart
      continue
    }
    // Inside a box, or nearly: only the mesh itself knows.
    const found = body.mesh.tree?.closestPointToPoint(
      local.copy(eye).applyMatrix4(matrix.clone().invert()),
      {} as never,
      0,
      nearest,
    )
    nearest = Math.min(nearest, found?.distance ?? nearest)
  }
  const near = Math.max(NEAREST, Math.min(nearest * 0.6, 0.5))
  const reach = Math.max(2 * (eye.distanceTo(extent.center) + extent.radius), Math.abs(eye.z) * 20)
  return [near, Math.max(near * 1000, reach)]
}
