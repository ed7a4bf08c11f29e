/**
 * The picture: told what to show, knows nothing of panels. Lengths in metres inside, Z up. One canvas
 * for all panes; it draws only when something has changed.
 */
import * as THREE from 'three'

import type { Colours, Schemas, Section, Style, Vec3, Viewpoint } from '../api/client'
import type { Palette } from './look'
import { basis, eye, halfAngle, widthAtPivot } from './navigation'
import { Bodies, matrixOf, type SceneBody } from './bodies'
import { Cameras, metres, type Pixel } from './cameras'
import { Ground } from './ground'
import { type Grip, Handles } from './handles'
import { axesOf, WideLines } from './lines'
import { hatchedFaces } from './materials'
import { cornerNear, type Hit, pickAll, within } from './picking'

export interface PaneView {
  /** By which it is asked for. */
  index: number
  viewpoint: Viewpoint
  style: Style
  colours: Colours
  /** Pixels of the page, from the upper left corner of the canvas. */
  left: number
  top: number
  width: number
  height: number
}

export interface SceneFrame {
  item: string | null
  kind: string
  node: number | null
  pose: ArrayLike<number>
}

export interface Shown {
  visible: Set<string>
  ghosts: Set<string>
  selected: Set<string>
  hovered: string | null
}

export interface Furniture {
  grid: boolean
  shadow: boolean
  /** Which frames are marked. */
  frame: (frame: SceneFrame) => boolean
  /** Length of their arrows, pixels. */
  frameSize: number
}

const M = 1e-3
/** How far to the pivot the pyramid of another pane's camera is drawn. */
const CAMERA_SHARE = 0.3
/** Farthest over nearest that one depth buffer of 24 bits tells apart well. */
const DEEPEST = 2e5
const RESTS_AFTER_MS = 220
/** More triangles than these are not drawn a second time in software: that would take seconds. */
const MOST_FINE = 1_500_000

export class Scene {
  /** Frames drawn so far, the last one's draw calls and script time (ms): for tests of the bars. */
  frames = 0
  drawCalls = 0
  scriptMs = 0
  private renderer: THREE.WebGLRenderer
  private scene = new THREE.Scene()
  private cameras = new Cameras()
  private bodies?: Bodies
  private ground = new Ground()
  private caps = new THREE.Group()
  private frameLines = new WideLines(2.2, 20)
  private gap = new WideLines(2.5, 21)
  private openEdges = new WideLines(2.5, 20)
  private cameraLines = new WideLines(1.6, 19)
  private tourLines = new WideLines(1.6, 19)
  private marked: SceneFrame[] = []
  private clip: THREE.Plane[] = []
  private waiting = false
  private asked = 0
  /** Drawn without a graphics card: rough while it moves, fine when it rests. */
  private software = drawsInSoftware()
  private rest = 0
  /** Whether it becomes fine when it rests, in software. */
  fine = true
  private size = { width: 1, height: 1 }
  private panes: PaneView[] = []
  private active = 0
  private shown: Shown = {
    visible: new Set(),
    ghosts: new Set(),
    selected: new Set(),
    hovered: null,
  }
  private look = new Map<string, { role: string; colour?: string | null }>()
  private furniture: Furniture = { grid: true, shadow: true, frame: () => false, frameSize: 34 }
  private statesOf?: Colours
  /** Made when first asked for. */
  private handles?: Handles
  /** Coordinate systems that go along with the handles, and where they stood. */
  private gripped: { nodes: Set<number>; from: THREE.Matrix4[] } | null = null
  /** From where a drag of the handles is judged while the camera goes along. */
  private frozen: { pane: number; viewpoint: Viewpoint } | null = null
  private hooks: {
    moved?: (motion: THREE.Matrix4) => void
    placed?: (motion: THREE.Matrix4) => void
  } = {}

  constructor(
    readonly canvas: HTMLCanvasElement,
    private palette: Palette,
    private drawn: () => void,
  ) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: !this.software,
      preserveDrawingBuffer: true,
    })
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    this.renderer.localClippingEnabled = true
    this.renderer.info.autoReset = false
    const sky = new THREE.HemisphereLight('#ffffff', '#cfc6b4', 1.75)
    sky.position.set(0, 0, 1)
    const fill = new THREE.DirectionalLight('#dfe9f5', 0.5)
    fill.position.set(3, 4, 2)
    const { sun, group } = this.ground
    const lines = [this.frameLines, this.gap, this.openEdges, this.cameraLines, this.tourLines].map(
      (l) => l.object,
    )
    this.scene.add(sky, fill, sun, sun.target, group, this.caps, ...lines)
    this.setPalette(palette)
  }

  dispose() {
    clearTimeout(this.rest)
    this.bodies?.dispose()
    this.handles?.dispose()
    this.renderer.dispose()
  }

  setPalette(palette: Palette) {
    this.palette = palette
    this.scene.background = new THREE.Color(palette.paper)
    this.ground.setPalette(palette)
    this.bodies?.setInk(palette.paper, palette.ink, palette.selection)
    this.restate()
  }

  resize(width: number, height: number) {
    this.size = { width, height }
    this.renderer.setPixelRatio(this.software ? 1 : Math.min(2, devicePixelRatio))
    this.renderer.setSize(width, height, false)
    // Not a frame later: the canvas has just been emptied.
    this.render()
  }

  setPanes(panes: PaneView[], active: number) {
    this.panes = panes
    this.active = active
    this.invalidate()
  }

  setBodies(
    bodies: SceneBody[],
    look: Map<string, { role: string; colour?: string | null }>,
    frames: SceneFrame[],
    poses: ArrayLike<number>[],
    moving: number[],
  ) {
    if (this.bodies) {
      this.scene.remove(this.bodies.group)
      this.bodies.dispose()
    }
    this.look = look
    this.marked = frames
    this.bodies = this.cameras.bodies = new Bodies(bodies, poses, moving, [...look.keys()])
    this.bodies.setInk(this.palette.paper, this.palette.ink, this.palette.selection)
    if (this.software) this.bodies.withoutShadows()
    this.scene.add(this.bodies.group)
    const box = this.bodies.bounds()
    if (box.isEmpty()) box.set(new THREE.Vector3(-2, -2, 0), new THREE.Vector3(2, 2, 2))
    this.ground.setBounds(box)
    box.getBoundingSphere(this.cameras.extent)
    this.restate()
  }

  /** A point of the world (mm) in a coordinate system. */
  inFrame(node: number, at: Vec3): Vec3 {
    const matrix = this.bodies?.nodes[node]?.matrix
    return matrix ? metres(at).applyMatrix4(matrix.clone().invert()).divideScalar(M).toArray() : at
  }

  /** How many coordinate systems there are. */
  get nodeCount(): number {
    return this.bodies?.nodes.length ?? 0
  }

  setPoses(nodes: number[], poses: ArrayLike<number>[]) {
    this.bodies?.setPoses(nodes, poses)
    this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  /** Takes items that stand still to other places, and marks these frames. */
  setRest(poses: ArrayLike<number>[], frames: SceneFrame[]) {
    this.bodies?.setRest(poses)
    this.marked = frames
    this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  /** Whose items have which role and colour. */
  setLook(look: Map<string, { role: string; colour?: string | null }>) {
    this.look = look
    this.restate()
  }

  private newHandles(): Handles {
    const moved = (motion: THREE.Matrix4) => {
      if (this.gripped) this.bodies?.carry(this.gripped.nodes, this.gripped.from, motion)
      this.renderer.shadowMap.needsUpdate = true
      this.hooks.moved?.(motion)
      this.invalidate()
    }
    const placed = (motion: THREE.Matrix4) => {
      this.frozen = null
      this.hooks.placed?.(motion)
    }
    return new Handles(this.scene, this.cameras.perspective, moved, placed, () => this.invalidate())
  }
  /** Shows handles on what these coordinate systems carry, or none. */
  setHandles(
    grip: { mode: Grip['mode']; at: ArrayLike<number>; size: number; nodes: number[] } | null,
    hooks: Scene['hooks'] = {},
  ) {
    if (this.handles?.dragging || (!grip && !this.handles)) return
    this.hooks = hooks
    this.gripped =
      grip && this.bodies
        ? { nodes: new Set(grip.nodes), from: this.bodies.nodes.map((n) => n.matrix.clone()) }
        : null
    this.handles ??= this.newHandles()
    this.handles.set(grip && { mode: grip.mode, at: matrixOf(grip.at), size: grip.size })
    this.invalidate()
  }
  /**
   * Lets the handles hear the pointer on a pane; `stepped` moves them in steps, `carry` judges the
   * drag from where it began.
   */
  aimHandles(pane: number, element: HTMLElement, stepped: boolean, carry: boolean) {
    if (!this.handles?.shown) return
    const view = this.view(pane)
    if (!view) return
    this.handles.listen(element)
    if (carry && this.handles.dragging) this.frozen ??= { pane, viewpoint: view.viewpoint }
    this.handles.look(
      this.cameras.of(this.frozen ? { ...view, viewpoint: this.frozen.viewpoint } : view),
      stepped,
    )
  }
  get handlesBusy(): boolean {
    return this.handles?.busy ?? false
  }

  setShown(shown: Shown) {
    // What is merely pointed at or selected throws the same shadow.
    const same = shown.visible === this.shown.visible
    this.shown = shown
    this.restate(!same)
  }

  setFurniture(furniture: Furniture) {
    this.furniture = furniture
    this.invalidate()
  }

  /** What is shown or how it is coloured has changed. */
  private restate(shadows = true) {
    this.statesOf = undefined
    if (shadows) this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  private writeStates(colours: Colours) {
    if (this.statesOf === colours) return
    this.statesOf = colours
    const { visible, ghosts, selected, hovered } = this.shown
    const plum = new THREE.Color(this.palette.selection)
    this.bodies?.setStates((item) => {
      const { role, colour: own } = this.look.get(item) ?? { role: '', colour: null }
      const colour = new THREE.Color(
        (colours === 'own' && own) || this.palette.roles[role] || '#bbbbbb',
      )
      if (selected.has(item)) colour.lerp(plum, 0.72)
      else if (hovered === item) colour.lerp(plum, 0.16)
      return {
        colour,
        shown: visible.has(item),
        ghost: ghosts.has(item),
        selected: selected.has(item),
      }
    })
  }

  /** Takes away what lies on the side of the plane's normal, and shows the cut faces hatched. */
  setSection(section: Section | null, faces: Schemas['SectionFaces'] | null) {
    this.caps.clear()
    this.clip = []
    if (section) {
      const normal = new THREE.Vector3(...(section.normal as Vec3)).normalize()
      this.clip = [
        new THREE.Plane().setFromNormalAndCoplanarPoint(
          normal.clone().negate(),
          metres(section.point_mm),
        ),
      ]
      for (const face of faces?.faces ?? []) {
        const corners = new Float32Array(face.triangles_mm.flat().map((x) => x * M))
        const geometry = new THREE.BufferGeometry().setAttribute(
          'position',
          new THREE.BufferAttribute(corners, 3),
        )
        const chosen = this.shown.selected.has(face.item)
        const colour = chosen
          ? this.palette.selection
          : this.palette.roles[this.look.get(face.item)?.role ?? '']
        this.caps.add(new THREE.Mesh(geometry, hatchedFaces(colour ?? '#bbbbbb', this.palette)))
        for (const outline of [...face.outlines_mm.map((o) => [...o, o[0]!]), ...face.open_mm]) {
          const points = outline.map((p) => metres(p).addScaledVector(normal, 4e-4))
          const line = new THREE.BufferGeometry().setFromPoints(points)
          this.caps.add(
            new THREE.Line(line, new THREE.LineBasicMaterial({ color: this.palette.ink })),
          )
        }
      }
    }
    this.renderer.shadowMap.needsUpdate = true
    this.invalidate()
  }

  /** Marks the gap between two points, always on top. */
  setGap(gap: { a: Vec3; b: Vec3 } | null) {
    this.gap.setWay(gap ? [metres(gap.a), metres(gap.b)] : [], this.palette.broken)
    this.invalidate()
  }

  /** Marks edges at which a body is open, pairs of ends in mm, always on top. */
  setOpenEdges(edges: number[][][]) {
    const colour = new THREE.Color(this.palette.broken)
    this.openEdges.set(
      edges.flat(2).map((x) => x * M),
      edges.map(() => colour),
    )
    this.invalidate()
  }

  /** The way of a tour's camera, as eyes in mm. */
  setTour(eyes: Vec3[]) {
    this.tourLines.setWay(eyes.map(metres), this.palette.accent)
    this.invalidate()
  }

  private view(pane: number): PaneView | undefined {
    return this.panes.find((p) => p.index === pane)
  }

  // ---- what appears where, and what is picked

  /**
   * Where a point (mm) appears on a pane, in pixels from its upper left corner; null behind the
   * eye.
   */
  project(pane: number, at: Vec3): Pixel | null {
    const view = this.view(pane)
    return view ? this.cameras.project(view, at) : null
  }

  /** Everything shown under a pixel of a pane, nearest first; a marked frame comes before all. */
  pickAll(pane: number, x: number, y: number, ghosts = false): Hit[] {
    const view = this.view(pane)
    if (!view || !this.bodies) return []
    const hits = pickAll(
      this.bodies,
      this.cameras.ray(view, x, y),
      (item) => this.shown.visible.has(item) || (ghosts && this.shown.ghosts.has(item)),
      this.clip,
    )
    const frame = this.marked.find((f) => {
      if (!f.item || !this.furniture.frame(f)) return false
      const at = new THREE.Vector3().setFromMatrixPosition(this.frameMatrix(f)).divideScalar(M)
      const seen = this.project(pane, at.toArray())
      return seen && Math.hypot(seen[0] - x, seen[1] - y) < 7
    })
    if (frame) {
      const at = new THREE.Vector3()
        .setFromMatrixPosition(this.frameMatrix(frame))
        .divideScalar(M)
        .toArray()
      hits.unshift({ item: frame.item!, at })
    }
    return hits
  }

  pick(pane: number, x: number, y: number, ghosts = false): Hit | null {
    return this.pickAll(pane, x, y, ghosts)[0] ?? null
  }

  /** The corner (mm) of a hit triangle nearest to a pixel, if one is near; else the hit itself. */
  cornerNear(pane: number, hit: Hit, at: Pixel): Vec3 {
    return this.bodies ? cornerNear(this.bodies, hit, at, (p) => this.project(pane, p)) : hit.at
  }

  /** What lies in the middle of a pane. */
  middle(pane: number): Hit | null {
    const view = this.view(pane)
    return view ? this.pick(pane, view.width / 2, view.height / 2) : null
  }

  /** Items that a rectangle of a pane holds wholly, or touches. */
  within(pane: number, from: Pixel, to: Pixel, touching: boolean): string[] {
    const view = this.view(pane)
    if (!view || !this.bodies) return []
    const sides = this.cameras.sides(view, from, to)
    const found = within(this.bodies, this.shown.visible, sides, this.clip, touching)
    const at = new THREE.Vector3()
    const inside = (f: SceneFrame) =>
      sides.every((s) => s.distanceToPoint(at.setFromMatrixPosition(this.frameMatrix(f))) > 0)
    const frames = this.marked
      .filter((f) => f.item && this.furniture.frame(f) && inside(f))
      .map((f) => f.item!)
    return [
      ...new Set([
        ...found,
        ...frames.filter((f) => !this.bodies!.bodies.some((b) => b.item === f)),
      ]),
    ]
  }

  /**
   * The point (mm) under a pixel on the plane through `through` square to `normal`; by default it
   * faces the eye.
   */
  onPlane(pane: number, x: number, y: number, through: Vec3, normal?: Vec3): Vec3 | null {
    return this.cameras.onPlane(this.view(pane)!, [x, y], through, normal)
  }

  // ---- drawing

  invalidate() {
    if (this.waiting) return
    this.waiting = true
    this.asked = requestAnimationFrame(() => {
      if (this.software) this.refineLater()
      this.render()
    })
  }

  /**
   * In software a moving picture is drawn with few pixels; when it has come to rest, once with
   * many.
   */
  private refineLater() {
    clearTimeout(this.rest)
    this.fineness(1)
    if (!this.fine || !this.bodies || this.bodies.triangles > MOST_FINE) return
    this.rest = window.setTimeout(() => {
      this.fineness(2)
      this.render()
    }, RESTS_AFTER_MS)
  }
  private fineness(ratio: number) {
    if (this.renderer.getPixelRatio() === ratio) return
    this.renderer.setPixelRatio(ratio)
    this.renderer.setSize(this.size.width, this.size.height, false)
  }

  private render() {
    // Drawn now: what was asked for the next frame is done with it.
    cancelAnimationFrame(this.asked)
    this.waiting = false
    const start = performance.now()
    this.renderer.info.reset()
    this.renderer.setScissorTest(true)
    this.panes.forEach((pane) => this.renderPane(pane, this.size.height))
    this.renderer.setScissorTest(false)
    this.frames++
    this.drawCalls = this.renderer.info.render.calls
    this.scriptMs = performance.now() - start
    this.drawn()
  }

  private renderPane(pane: PaneView, height: number) {
    const y = height - pane.top - pane.height
    this.renderer.setViewport(pane.left, y, pane.width, pane.height)
    this.renderer.setScissor(pane.left, y, pane.width, pane.height)
    const ratio = this.renderer.getPixelRatio()
    this.draw(
      pane,
      pane.width * ratio,
      pane.height * ratio,
      pane.index === this.active ? undefined : this.view(this.active),
    )
  }

  /** Draws a view on a target so many pixels large, and the camera of `other` in it. */
  private draw(pane: PaneView, width: number, height: number, other?: PaneView) {
    this.writeStates(pane.colours)
    this.bodies?.use(pane.style, width, height, this.clip)
    this.ground.use(
      widthAtPivot(pane.viewpoint) * M,
      metres(pane.viewpoint.pivot_mm),
      this.furniture,
    )
    const camera = this.cameras.drawing(pane)
    if (this.handles) {
      this.handles.look(camera)
      this.handles.object.visible = this.handles.shown && pane.index >= 0
    }
    this.drawFrames(pane, camera)
    this.drawCamera(other)
    if (camera !== this.cameras.perspective || camera.far / camera.near < DEEPEST) {
      this.renderer.render(this.scene, camera)
      return
    }
    // Something is close to the eye and something far off: the far half first, then the near one over it.
    const { near, far } = camera
    const middle = Math.sqrt(near * far)
    const background = this.scene.background
    for (const [from, to] of [
      [middle, far],
      [near, middle],
    ] as const) {
      this.cameras.perspective.near = from
      this.cameras.perspective.far = to
      this.cameras.perspective.updateProjectionMatrix()
      this.renderer.render(this.scene, camera)
      this.renderer.autoClear = false
      this.renderer.clearDepth()
      this.scene.background = null
    }
    this.renderer.autoClear = true
    this.scene.background = background
  }

  private frameMatrix(frame: SceneFrame): THREE.Matrix4 {
    const local = matrixOf(frame.pose)
    return frame.node === null
      ? local
      : this.bodies!.nodes[frame.node]!.matrix.clone().multiply(local)
  }

  /** The marked frames, as large on the picture whatever the distance. */
  private drawFrames(pane: PaneView, camera: THREE.Camera) {
    const [ends, colours]: [number[], THREE.Color[]] = [[], []]
    const { viewpoint: v, width } = pane
    for (const frame of this.bodies ? this.marked : []) {
      if (!this.furniture.frame(frame)) continue
      const matrix = this.frameMatrix(frame)
      const depth = -new THREE.Vector3()
        .setFromMatrixPosition(matrix)
        .applyMatrix4(camera.matrixWorldInverse).z
      if (v.projection === 'perspective' && depth <= 0) continue
      const pixel =
        (v.projection === 'parallel'
          ? v.width_mm * M
          : 2 * depth * Math.tan(halfAngle(v.lens_mm))) / width
      axesOf(
        matrix,
        pixel * this.furniture.frameSize * Math.min(1, Math.max(0.6, width / 700)),
        ends,
        colours,
      )
    }
    this.frameLines.set(ends, colours)
  }

  /** The camera of another pane with its field of view. */
  private drawCamera(other?: PaneView) {
    if (!other) return this.cameraLines.set([], [])
    const v = other.viewpoint
    const { right, up } = basis(v)
    const half = widthAtPivot(v) / 2
    const [r, u] = [
      new THREE.Vector3(...right).multiplyScalar(half * M),
      new THREE.Vector3(...up).multiplyScalar((half * M * other.height) / other.width),
    ]
    const at = metres(eye(v))
    const target = metres(v.pivot_mm)
    // In perspective a short pyramid and the line of sight say enough.
    const pivot = v.projection === 'perspective' ? at.clone().lerp(target, CAMERA_SHARE) : target
    if (v.projection === 'perspective') [r, u].forEach((edge) => edge.multiplyScalar(CAMERA_SHARE))
    const corners = [
      [1, 1],
      [-1, 1],
      [-1, -1],
      [1, -1],
    ].map(([a, b]) => pivot.clone().addScaledVector(r, a!).addScaledVector(u, b!))
    const starts =
      v.projection === 'perspective'
        ? corners.map(() => at)
        : corners.map((c) => c.clone().add(at).sub(pivot))
    const ends = corners.flatMap((c, i) => [
      ...starts[i]!.toArray(),
      ...c.toArray(),
      ...c.toArray(),
      ...corners[(i + 1) % 4]!.toArray(),
    ])
    ends.push(...pivot.toArray(), ...target.toArray())
    this.cameraLines.set(
      ends,
      Array.from({ length: 9 }, () => new THREE.Color(this.palette.accent)),
    )
  }

  /**
   * The picture of a view at a size of its own, in pixels; tiles where the graphics card needs
   * them.
   */
  snapshot(
    view: Pick<PaneView, 'viewpoint' | 'style' | 'colours'>,
    width: number,
    height: number,
    furniture = this.furniture,
  ): HTMLCanvasElement {
    const picture = document.createElement('canvas')
    Object.assign(picture, { width, height })
    const paint = picture.getContext('2d')!
    const tile = Math.min(2048, this.renderer.capabilities.maxTextureSize)
    const before = this.furniture
    const ratio = this.renderer.getPixelRatio()
    this.furniture = furniture
    this.renderer.setPixelRatio(1)
    const pane = { ...view, index: -1, left: 0, top: 0, width, height }
    for (let top = 0; top < height; top += tile) {
      for (let left = 0; left < width; left += tile) {
        const [w, h] = [Math.min(tile, width - left), Math.min(tile, height - top)]
        this.renderer.setSize(w, h, false)
        this.cameras.perspective.setViewOffset(width, height, left, top, w, h)
        this.cameras.parallel.setViewOffset(width, height, left, top, w, h)
        this.renderer.setViewport(0, 0, w, h)
        this.draw(pane, w, h)
        paint.drawImage(this.canvas, left, top)
      }
    }
    this.cameras.perspective.clearViewOffset()
    this.cameras.parallel.clearViewOffset()
    this.furniture = before
    this.renderer.setPixelRatio(ratio)
    this.renderer.setSize(this.size.width, this.size.height, false)
    this.render()
    return picture
  }
}

function drawsInSoftware(): boolean {
  const gl = document.createElement('canvas').getContext('webgl2')
  const info = gl?.getExtension('WEBGL_debug_renderer_info')
  const name = info ? String(gl!.getParameter(info.UNMASKED_RENDERER_WEBGL)) : ''
  gl?.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|software|basic render/i.test(name)
}
