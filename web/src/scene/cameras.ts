/** Where the camera of a pane stands, what appears where on it, and what lies under its pixels. */
import * as THREE from 'three'

import type { Vec3, Viewpoint } from '../api/client'
import { basis, halfAngle } from './navigation'
import type { Bodies } from './bodies'
import { depthRange } from './depthRange'

export type Camera = THREE.PerspectiveCamera | THREE.OrthographicCamera
/** A view on a rectangle so many pixels large. */
export interface Sight {
  viewpoint: Viewpoint
  width: number
  height: number
}
export type Pixel = [number, number]

const M = 1e-3
export const metres = (p: ArrayLike<number>) =>
  new THREE.Vector3(p[0], p[1], p[2]).multiplyScalar(M)
const mm = (p: THREE.Vector3): Vec3 => p.clone().divideScalar(M).toArray()

export class Cameras {
  readonly perspective = new THREE.PerspectiveCamera()
  readonly parallel = new THREE.OrthographicCamera()
  bodies?: Bodies
  /** Round all bodies as they were placed first, m. */
  readonly extent = new THREE.Sphere(new THREE.Vector3(), 5)

  /** The camera of a view: one of two, set up anew each time. What it can draw is not told yet. */
  of({ viewpoint: v, width, height }: Sight): Camera {
    const { right, up, back } = basis(v)
    const aspect = width / height
    const matrix = new THREE.Matrix4().makeBasis(
      new THREE.Vector3(...right),
      new THREE.Vector3(...up),
      new THREE.Vector3(...back),
    )
    const pivot = metres(v.pivot_mm)
    const camera = v.projection === 'perspective' ? this.perspective : this.parallel
    let distance = v.distance_mm * M
    if (v.projection === 'perspective') {
      this.perspective.aspect = aspect
      this.perspective.fov = THREE.MathUtils.radToDeg(
        2 * Math.atan(Math.tan(halfAngle(v.lens_mm)) / aspect),
      )
      ;[camera.near, camera.far] = [distance / 10, distance * 10]
    } else {
      const half = (v.width_mm * M) / 2
      const { center, radius } = this.extent
      const reach = Math.max(5, radius * 2 + center.distanceTo(pivot), half * 4)
      distance = reach
      Object.assign(this.parallel, {
        left: -half,
        right: half,
        top: half / aspect,
        bottom: -half / aspect,
        near: 0.001,
        far: reach * 2,
      })
    }
    camera.quaternion.setFromRotationMatrix(matrix)
    camera.position.copy(pivot).addScaledVector(new THREE.Vector3(...back), distance)
    camera.updateProjectionMatrix()
    camera.updateMatrixWorld()
    return camera
  }

  /** The camera of a view that draws all there is to be seen. */
  drawing(view: Sight): Camera {
    const camera = this.of(view)
    if (camera === this.parallel) return camera
    ;[camera.near, camera.far] = depthRange(camera.position, this.bodies, this.extent)
    camera.updateProjectionMatrix()
    return camera
  }

  /** Where a point (mm) appears, in pixels from the upper left corner; null behind the eye. */
  project(view: Sight, at: Vec3): Pixel | null {
    const camera = this.of(view)
    const p = metres(at).applyMatrix4(camera.matrixWorldInverse)
    if (p.z > 0 && view.viewpoint.projection === 'perspective') return null
    p.applyMatrix4(camera.projectionMatrix)
    return [((p.x + 1) / 2) * view.width, ((1 - p.y) / 2) * view.height]
  }

  /** What lies under a pixel lies on this ray. */
  ray(view: Sight, x: number, y: number): THREE.Ray {
    const caster = new THREE.Raycaster()
    caster.setFromCamera(
      new THREE.Vector2((x / view.width) * 2 - 1, 1 - (y / view.height) * 2),
      this.of(view),
    )
    return caster.ray
  }

  /** The sides of what appears inside a rectangle of pixels; they look inwards. */
  sides(view: Sight, from: Pixel, to: Pixel): THREE.Plane[] {
    const camera = this.of(view)
    const [x0, x1] = [Math.min(from[0], to[0]), Math.max(from[0], to[0])]
    const [y0, y1] = [Math.min(from[1], to[1]), Math.max(from[1], to[1])]
    const at = ([x, y]: Pixel, z: number) =>
      new THREE.Vector3((x / view.width) * 2 - 1, 1 - (y / view.height) * 2, z).unproject(camera)
    const middle = at([(x0 + x1) / 2, (y0 + y1) / 2], 0)
    const ring: Pixel[] = [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ]
    return ring.map((corner, i) => {
      const side = new THREE.Plane().setFromCoplanarPoints(
        at(corner, -1),
        at(corner, 0.5),
        at(ring[(i + 1) % 4]!, -1),
      )
      return side.distanceToPoint(middle) < 0 ? side.negate() : side
    })
  }

  /**
   * The point (mm) under a pixel on the plane through `through` square to `normal`; by default it
   * faces the eye.
   */
  onPlane(view: Sight, [x, y]: Pixel, through: Vec3, normal?: Vec3): Vec3 | null {
    const square = new THREE.Vector3(...(normal ?? basis(view.viewpoint).back))
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(square, metres(through))
    const at = this.ray(view, x, y).intersectPlane(plane, new THREE.Vector3())
    return at && mm(at)
  }
}
