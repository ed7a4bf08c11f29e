/**
 * The picture: told what to show, knows nothing of panels. Lengths in metres inside, Z up. Draws
 * only when something has changed.
 */
import * as THREE from 'three'
import { acceleratedRaycast, computeBoundsTree } from 'three-mesh-bvh'

import type { Schemas, Section, Style, Vec3, Viewpoint } from '../api/client'
import type { Palette } from '../look'
import { basis, halfAngle } from '../where/navigation'
import { sectionMaterial } from './hatching'
import type { DrawnMesh } from './meshes'

THREE.Mesh.prototype.raycast = acceleratedRaycast
THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree

export interface SceneBody {
  item: string
  node: number
  role: string
  mesh: DrawnMesh
}

interface Drawn {
  body: SceneBody
  group: THREE.Group
  face: THREE.Mesh<THREE.BufferGeometry, THREE.MeshLambertMaterial>
  edges: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>
}

export interface Hit { item: string; at: Vec3 }

const M = 1e-3

export class Scene {
  /** Frames drawn so far: for tests that nothing is drawn when nothing changes. */
  frames = 0
  private renderer: THREE.WebGLRenderer
  private scene = new THREE.Scene()
  private perspective = new THREE.PerspectiveCamera()
  private parallel = new THREE.OrthographicCamera()
  private camera: THREE.Camera = this.perspective
  private drawn: Drawn[] = []
  private nodes: THREE.Group[] = []
  private ground = new THREE.Group()
  private marks = new THREE.Group()
  private caps = new THREE.Group()
  private frameMarks: { item: string; mark: THREE.Group }[] = []
  private clip: THREE.Plane[] = []
  private sun = new THREE.DirectionalLight('#fff6e6', 1.9)
  private waiting = false
  private size = { width: 1, height: 1 }
  private style: Style = 'shaded_edges'
  private visible = new Set<string>()
  private selected = new Set<string>()
  private hovered: string | null = null
  private peeking = false
  private viewpoint?: Viewpoint

  constructor(canvas: HTMLCanvasElement, private palette: Palette, private framed: () => void) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true })
    this.renderer.localClippingEnabled = true
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    const sky = new THREE.HemisphereLight('#ffffff', '#cfc6b4', 1.75)
    sky.position.set(0, 0, 1)
    const fill = new THREE.DirectionalLight('#dfe9f5', 0.5)
    fill.position.set(3, 4, 2)
    this.sun.castShadow = true
    this.sun.shadow.mapSize.set(2048, 2048)
    this.sun.shadow.radius = 5
    this.sun.shadow.bias = -0.0006
    this.sun.shadow.normalBias = 0.006
    this.scene.add(sky, fill, this.sun, this.sun.target, this.ground, this.marks, this.caps)
    this.setPalette(palette)
  }

  dispose() {
    this.clearBodies()
    this.renderer.dispose()
  }

  setPalette(palette: Palette) {
    this.palette = palette
    this.scene.background = new THREE.Color(palette.paper)
    this.drawGround()
    this.restyle()
  }

  resize(width: number, height: number) {
    this.size = { width, height }
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio))
    this.renderer.setSize(width, height, false)
    if (this.viewpoint) this.setViewpoint(this.viewpoint)
    // Not a frame later: the canvas has just been emptied.
    this.render()
  }

  private clearBodies() {
    for (const { face, edges } of this.drawn) {
      face.material.dispose()
      edges.material.dispose()
    }
    this.nodes.forEach((n) => this.scene.remove(n))
    this.drawn = []
    this.nodes = []
    this.frameMarks = []
  }

  setBodies(bodies: SceneBody[], frames: { item: string; node: number }[], poses: ArrayLike<number>[]) {
    this.clearBodies()
    this.nodes = poses.map((pose) => {
      const group = new THREE.Group()
      group.matrixAutoUpdate = false
      place(group, pose)
      this.scene.add(group)
      return group
    })
    this.drawn = bodies.map((body) => {
      const material = new THREE.MeshLambertMaterial({
        polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1, side: THREE.DoubleSide, clipShadows: true,
      })
      const face = new THREE.Mesh(body.mesh.faces, material)
      face.castShadow = face.receiveShadow = true
      const edges = new THREE.LineSegments(body.mesh.edges, new THREE.LineBasicMaterial())
      const group = new THREE.Group()
      group.add(face, edges)
      this.nodes[body.node]!.add(group)
      return { body, group, face, edges }
    })
    for (const { item, node } of frames) {
      const mark = frameMark()
      this.nodes[node]!.add(mark)
      this.frameMarks.push({ item, mark })
    }
    this.drawGround()
    this.restyle()
  }

  setPoses(nodes: number[], poses: ArrayLike<number>[]) {
    poses.forEach((pose, i) => place(this.nodes[nodes[i]!]!, pose))
    this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  setShown(state: { visible: Set<string>; selected: Set<string>; hovered: string | null; peeking: boolean; style: Style }) {
    Object.assign(this, state)
    this.restyle()
  }

  private restyle() {
    const { palette, style } = this
    const paper = new THREE.Color(palette.paper)
    const plum = new THREE.Color(palette.selection)
    for (const { body, group, face, edges } of this.drawn) {
      const shown = this.visible.has(body.item)
      const ghost = !shown && this.peeking
      const chosen = this.selected.has(body.item)
      group.visible = shown || ghost
      const colour = style === 'hidden_removed' ? paper.clone() : new THREE.Color(palette.roles[body.role] ?? '#bbb')
      if (chosen) colour.lerp(plum, 0.5)
      else if (this.hovered === body.item) colour.lerp(plum, 0.16)
      const flat = style === 'hidden_removed'
      face.material.color.copy(flat ? new THREE.Color(0) : colour)
      face.material.emissive.copy(flat ? colour : new THREE.Color(0))
      face.material.transparent = ghost
      face.material.opacity = ghost ? 0.18 : 1
      face.material.depthWrite = !ghost
      face.material.colorWrite = style !== 'wireframe'
      face.material.depthWrite &&= style !== 'wireframe'
      face.castShadow = shown && style !== 'wireframe'
      edges.visible = style !== 'shaded' && !ghost
      edges.material.color.set(chosen ? palette.selection : palette.ink)
      edges.material.transparent = true
      edges.material.opacity = chosen ? 1 : style === 'shaded_edges' ? 0.72 : 0.9
      face.material.clippingPlanes = edges.material.clippingPlanes = this.clip
      face.material.needsUpdate = true
    }
    for (const { item, mark } of this.frameMarks) mark.visible = this.visible.has(item)
    this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  /** Box round what is shown, m. */
  private bounds(): THREE.Box3 {
    const box = new THREE.Box3()
    for (const { group, face } of this.drawn) {
      group.updateWorldMatrix(true, false)
      face.geometry.computeBoundingBox()
      box.union(face.geometry.boundingBox!.clone().applyMatrix4(group.matrixWorld))
    }
    return box.isEmpty() ? new THREE.Box3(new THREE.Vector3(-2, -2, 0), new THREE.Vector3(2, 2, 2)) : box
  }

  private drawGround() {
    this.ground.clear()
    const box = this.bounds()
    const centre = box.getCenter(new THREE.Vector3())
    const size = Math.max(4, ...box.getSize(new THREE.Vector3()).toArray())
    const reach = Math.ceil(size * 0.9)
    const lines: number[] = []
    const [cx, cy] = [Math.round(centre.x), Math.round(centre.y)]
    const pitch = size > 40 ? 5 : size > 12 ? 1 : 0.5
    const count = Math.ceil(reach / pitch)
    for (let i = -count; i <= count; i++) {
      lines.push(cx + i * pitch, cy - reach, 0, cx + i * pitch, cy + reach, 0)
      lines.push(cx - reach, cy + i * pitch, 0, cx + reach, cy + i * pitch, 0)
    }
    const grid = new THREE.BufferGeometry().setAttribute('position', new THREE.Float32BufferAttribute(lines, 3))
    const ink = new THREE.LineBasicMaterial({ color: this.palette.grid, depthWrite: false })
    const plane = new THREE.Mesh(
      new THREE.PlaneGeometry(reach * 2, reach * 2),
      new THREE.ShadowMaterial({ opacity: 0.16, depthWrite: false }),
    )
    plane.position.set(cx, cy, -0.001)
    plane.receiveShadow = true
    this.ground.add(new THREE.LineSegments(grid, ink), plane)
    this.sun.target.position.copy(centre)
    this.sun.position.copy(centre).add(new THREE.Vector3(-0.45, -0.75, 1.5).multiplyScalar(size))
    const camera = this.sun.shadow.camera
    const half = size * 0.75
    Object.assign(camera, { left: -half, right: half, top: half, bottom: -half, near: 0.1, far: size * 4 })
    camera.updateProjectionMatrix()
    this.renderer.shadowMap.needsUpdate = true
  }

  setViewpoint(v: Viewpoint) {
    this.viewpoint = v
    const { right, up, back } = basis(v)
    const aspect = this.size.width / this.size.height
    const matrix = new THREE.Matrix4().makeBasis(new THREE.Vector3(...right), new THREE.Vector3(...up), new THREE.Vector3(...back))
    const pivot = new THREE.Vector3(...(v.pivot_mm as Vec3)).multiplyScalar(M)
    const box = this.bounds()
    const radius = box.getSize(new THREE.Vector3()).length() / 2 + 1
    const toCentre = pivot.distanceTo(box.getCenter(new THREE.Vector3()))
    const distance = v.projection === 'parallel' ? radius + toCentre + 1 : v.distance_mm * M
    const far = distance + toCentre + radius * 2.5
    let camera: THREE.PerspectiveCamera | THREE.OrthographicCamera
    if (v.projection === 'perspective') {
      camera = this.perspective
      this.perspective.aspect = aspect
      this.perspective.fov = THREE.MathUtils.radToDeg(2 * Math.atan(Math.tan(halfAngle(v.lens_mm)) / aspect))
      this.perspective.near = Math.max(0.002, Math.min(distance * 0.02, 0.05))
    } else {
      camera = this.parallel
      const half = (v.width_mm * M) / 2
      Object.assign(this.parallel, { left: -half, right: half, top: half / aspect, bottom: -half / aspect, near: 0.001 })
    }
    camera.far = far
    camera.quaternion.setFromRotationMatrix(matrix)
    camera.position.copy(pivot).addScaledVector(new THREE.Vector3(...back), distance)
    camera.updateProjectionMatrix()
    camera.updateMatrixWorld()
    this.camera = camera
    const unit = v.projection === 'parallel' ? (v.width_mm * M) / this.size.width : 0
    for (const { mark } of this.frameMarks) mark.userData.unit = unit
    this.invalidate()
  }

  /** Takes away what lies on the side of the plane's normal, and shows the cut faces hatched. */
  setSection(section: Section | null, faces: Schemas['SectionFaces'] | null, roleOf: (item: string) => string) {
    this.caps.clear()
    if (section) {
      const normal = new THREE.Vector3(...(section.normal as Vec3)).normalize()
      const point = new THREE.Vector3(...(section.point_mm as Vec3)).multiplyScalar(M)
      this.clip = [new THREE.Plane().setFromNormalAndCoplanarPoint(normal.clone().negate(), point)]
      for (const face of faces?.faces ?? []) {
        const corners = new Float32Array(face.triangles_mm.flat().map((x) => x * M))
        const geometry = new THREE.BufferGeometry().setAttribute('position', new THREE.BufferAttribute(corners, 3))
        const colour = this.selected.has(face.item) ? this.palette.selection : this.palette.roles[roleOf(face.item)]
        this.caps.add(new THREE.Mesh(geometry, sectionMaterial(colour ?? '#bbb', this.palette)))
        for (const outline of [...face.outlines_mm.map((o) => [...o, o[0]!]), ...face.open_mm]) {
          const points = outline.map((p) => new THREE.Vector3(...(p as Vec3)).multiplyScalar(M).addScaledVector(normal, 2e-4))
          const line = new THREE.BufferGeometry().setFromPoints(points)
          this.caps.add(new THREE.Line(line, new THREE.LineBasicMaterial({ color: this.palette.ink })))
        }
      }
    } else {
      this.clip = []
    }
    this.restyle()
  }

  /** Marks the gap between two points, always on top. */
  setGap(gap: { a: Vec3; b: Vec3 } | null) {
    this.marks.clear()
    if (gap) {
      const points = [gap.a, gap.b].map((p) => new THREE.Vector3(...p).multiplyScalar(M))
      const geometry = new THREE.BufferGeometry().setFromPoints(points)
      const line = new THREE.Line(geometry, new THREE.LineBasicMaterial({ color: this.palette.broken, depthTest: false }))
      line.renderOrder = 9
      this.marks.add(line)
      const dots = new THREE.Points(geometry, new THREE.PointsMaterial({ color: this.palette.broken, size: 7, sizeAttenuation: false, depthTest: false }))
      dots.renderOrder = 9
      this.marks.add(dots)
    }
    this.invalidate()
  }

  /** Where a point appears, in pixels from the upper left corner; null behind the eye. */
  project(at: Vec3): [number, number] | null {
    const p = new THREE.Vector3(...at).multiplyScalar(M).project(this.camera)
    if (p.z > 1) return null
    return [((p.x + 1) / 2) * this.size.width, ((1 - p.y) / 2) * this.size.height]
  }

  private ray(x: number, y: number): THREE.Raycaster {
    const caster = new THREE.Raycaster()
    const p = new THREE.Vector2((x / this.size.width) * 2 - 1, 1 - (y / this.size.height) * 2)
    caster.setFromCamera(p, this.camera as THREE.PerspectiveCamera)
    caster.firstHitOnly = this.clip.length === 0
    return caster
  }

  /** The nearest shown thing under a pixel. */
  pick(x: number, y: number): Hit | null {
    const caster = this.ray(x, y)
    let best: { distance: number; hit: Hit } | null = null
    for (const { body, face } of this.drawn) {
      if (!this.visible.has(body.item)) continue
      for (const found of caster.intersectObject(face, false)) {
        if (this.clip.some((p) => p.distanceToPoint(found.point) < 0)) continue
        if (!best || found.distance < best.distance) {
          best = { distance: found.distance, hit: { item: body.item, at: found.point.divideScalar(M).toArray() } }
        }
      }
    }
    return best?.hit ?? null
  }

  /** The point under a pixel on the plane through `through` that faces the eye. */
  facing(x: number, y: number, through: Vec3): Vec3 {
    const { ray } = this.ray(x, y)
    const back = new THREE.Vector3(...basis(this.viewpoint!).back)
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(back, new THREE.Vector3(...through).multiplyScalar(M))
    const at = ray.intersectPlane(plane, new THREE.Vector3()) ?? new THREE.Vector3(...through).multiplyScalar(M)
    return at.divideScalar(M).toArray()
  }

  invalidate() {
    if (this.waiting) return
    this.waiting = true
    requestAnimationFrame(() => this.render())
  }

  private render() {
    this.waiting = false
    for (const { mark } of this.frameMarks) {
      // Always as large on the picture.
      const at = mark.getWorldPosition(new THREE.Vector3())
      const depth = at.distanceTo(this.camera.position)
      const unit = mark.userData.unit || (2 * depth * Math.tan(halfAngle(this.viewpoint?.lens_mm ?? 35))) / this.size.width
      mark.scale.setScalar(unit * 26)
    }
    this.renderer.render(this.scene, this.camera)
    this.frames++
    this.framed()
  }
}

function place(group: THREE.Group, pose: ArrayLike<number>) {
  const rotation = new THREE.Quaternion(pose[3], pose[4], pose[5], pose[6]).normalize()
  group.matrix.compose(new THREE.Vector3(pose[0], pose[1], pose[2]), rotation, new THREE.Vector3(1, 1, 1))
  group.matrixWorldNeedsUpdate = true
}

/** Axes of a frame: X red, Y green, Z blue (common practice). */
function frameMark(): THREE.Group {
  const mark = new THREE.Group()
  const colours = ['#C0392B', '#3C8D40', '#2F62B5']
  colours.forEach((color, axis) => {
    const end = new THREE.Vector3().setComponent(axis, 1)
    const line = new THREE.BufferGeometry().setFromPoints([new THREE.Vector3(), end])
    const drawn = new THREE.Line(line, new THREE.LineBasicMaterial({ color, depthTest: false }))
    drawn.renderOrder = 5
    mark.add(drawn)
  })
  return mark
}
