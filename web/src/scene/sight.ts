/** What can be seen from where a camera stands, and how fine. */
import * as THREE from 'three'

import type { Camera } from './cameras'
import type { DrawnMesh } from './meshes'

const ball = new THREE.Sphere()
const local = new THREE.Vector3()
const inverse = new THREE.Matrix4()
/** From so many of its radii on, the ball round a mesh is as good as the mesh. */
const FAR = 2

export class Sight {
  /** Where the eye is, or in which direction it lies, m. */
  readonly eye: THREE.Vector3
  readonly parallel: boolean
  private frustum: THREE.Frustum
  private pixel: number

  /** `width` pixels across the whole picture. */
  constructor(
    private camera: Camera,
    width: number,
  ) {
    this.parallel = camera instanceof THREE.OrthographicCamera
    this.eye = this.parallel
      ? new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, 2)
      : camera.position.clone()
    this.frustum = new THREE.Frustum().setFromProjectionMatrix(
      new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    )
    this.pixel =
      camera instanceof THREE.OrthographicCamera
        ? (camera.right - camera.left) / camera.zoom / width
        : (2 * Math.tan(THREE.MathUtils.degToRad(camera.fov / 2)) * camera.aspect) / width
  }

  /** How wide a pixel is (m) so far before the eye; for parallel views everywhere. */
  pixelAt(distance: number): number {
    return this.parallel ? this.pixel : this.pixel * distance
  }

  /** The ball round a mesh that stands somewhere, if any of it may be in the picture. */
  ballOf(mesh: DrawnMesh, matrix: THREE.Matrix4): THREE.Sphere | null {
    ball.copy(mesh.ball).applyMatrix4(matrix)
    return this.frustum.intersectsSphere(ball) ? ball : null
  }

  /** How far a mesh is from the eye at its nearest, m; of what is far off, no farther than that. */
  distanceTo(mesh: DrawnMesh, matrix: THREE.Matrix4): number {
    ball.copy(mesh.ball).applyMatrix4(matrix)
    if (this.parallel) {
      const along = local.copy(this.camera.position).sub(ball.center).dot(this.eye)
      return Math.max(0, along - ball.radius)
    }
    const toBall = ball.distanceToPoint(this.eye)
    if (toBall > ball.radius * FAR) return toBall
    local.copy(this.eye).applyMatrix4(inverse.copy(matrix).invert())
    const apart = mesh.box.distanceToPoint(local)
    if (apart > 0 || !mesh.tree) return apart
    // Inside its box: only the mesh itself knows.
    return mesh.tree.closestPointToPoint(local, {} as never)?.distance ?? 0
  }

  /** The eye as a body sees it, or the direction towards it. */
  from(matrix: THREE.Matrix4): THREE.Vector3 {
    inverse.copy(matrix).invert()
    return this.parallel
      ? this.eye.clone().transformDirection(inverse)
      : this.eye.clone().applyMatrix4(inverse)
  }
}
