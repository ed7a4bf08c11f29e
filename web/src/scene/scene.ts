/**
 * The picture: told what to show, knows nothing of panels. Lengths in metres inside, Z up. One
 * canvas for all panes; it draws only when something has changed.
 */
import * as THREE from 'three'

import type { Colours, Schemas, Section, Vec3 } from '../api/client'
import { Bodies, type ItemState, type SceneBody } from './bodies'
import { type Camera, Cameras, metres } from './cameras'
import { type Carried, type CarryHooks, Carrying } from './carrying'
import { Cut } from './cut'
import { Ground } from './ground'
import { lights, type Palette } from './look'
import { Marks, type SceneFrame } from './marks'
import { isStandard, widthAtPivot } from './navigation'
import { Pace } from './pace'
import { Painter, type Painting, type PaneView, type Stage } from './painter'
import { Refining } from './refining'
import { Sight } from './sight'
import { type Pickable, Spots } from './spots'

export type { PaneView } from './painter'
export type { SceneFrame } from './marks'

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

export type Look = Map<string, { role: string; colour?: string | null }>

/** What is drawn roughly, where there is no graphics card, is off by so many pixels at most. */
const ROUGH = 1
/** What is there when nothing is, m. */
const EMPTY_CELL = new THREE.Box3(new THREE.Vector3(-2, -2, 0), new THREE.Vector3(2, 2, 2))

export class Scene implements Stage {
  /** Frames drawn so far, the last one's draw calls and script time (ms): for tests of the bars. */
  frames = 0
  drawCalls = 0
  scriptMs = 0
  readonly scene = new THREE.Scene()
  /** Whether it becomes fine when it rests, without a graphics card. */
  fine = true
  private cameras = new Cameras()
  /** What appears where on the panes, and what is under a pixel. */
  readonly spots = new Spots(this.cameras, () => this.pickable())
  private painter: Painter
  private refining: Refining
  private bodies?: Bodies
  private ground = new Ground()
  private cut = new Cut()
  private marks: Marks
  private carrying: Carrying
  private marked: SceneFrame[] = []
  private aside = new THREE.WebGLRenderTarget(1, 1)
  private waiting = false
  /** Something stands elsewhere, or is looked at from elsewhere, than on the picture before. */
  private moving = false
  private pace = new Pace()
  private pacing = false
  private asked = 0
  private shadowsStale = true
  private size = { width: 1, height: 1 }
  private panes: PaneView[] = []
  private active = 0
  private shown: Shown = {
    visible: new Set(),
    ghosts: new Set(),
    selected: new Set(),
    hovered: null,
  }
  private look: Look = new Map()
  private furniture: Furniture = { grid: true, shadow: true, frame: () => false, frameSize: 34 }
  private statesOf?: Colours

  constructor(
    canvas: HTMLCanvasElement,
    private palette: Palette,
    private drawn: () => void,
  ) {
    this.painter = new Painter(canvas, this.cameras, this)
    this.refining = new Refining(
      this.painter,
      () => this.drawShadows(),
      () => this.told(performance.now()),
    )
    this.marks = new Marks(palette)
    this.carrying = new Carrying(
      this.scene,
      this.cameras,
      () => this.palette,
      (moved) => {
        if (moved) this.shadowsStale = this.moving = true
        this.invalidate()
      },
    )
    const sky = new THREE.HemisphereLight(lights.sky, lights.floor, 1.75)
    sky.position.set(0, 0, 1)
    const fill = new THREE.DirectionalLight(lights.fill, 0.5)
    fill.position.set(3, 4, 2)
    const { sun, group } = this.ground
    this.scene.add(sky, fill, sun, sun.target, group, this.cut.group, ...this.marks.objects)
    this.setPalette(palette)
  }

  get canvas(): HTMLCanvasElement {
    return this.painter.canvas
  }

  dispose() {
    cancelAnimationFrame(this.asked)
    this.refining.dispose()
    this.bodies?.dispose()
    this.carrying.dispose()
    this.ground.dispose()
    this.aside.dispose()
    this.painter.dispose()
  }

  // ---- what is shown

  setPalette(palette: Palette) {
    this.palette = palette
    this.scene.background = new THREE.Color(palette.paper)
    this.ground.setPalette(palette)
    this.marks.setPalette(palette)
    this.bodies?.setInk(palette.paper, palette.ink, palette.selection)
    this.restate()
  }

  resize(width: number, height: number) {
    this.size = { width, height }
    this.setRatio(this.painter.software ? 1 : Math.min(2, devicePixelRatio), true)
    // Not a frame later: the canvas has just been emptied.
    this.render()
  }

  setPanes(panes: PaneView[], active: number) {
    const stays = (pane: PaneView, i: number) => pane.viewpoint === this.panes[i]?.viewpoint
    this.moving ||= !panes.every(stays)
    this.panes = panes
    this.active = active
    this.invalidate()
  }

  setBodies(
    bodies: SceneBody[],
    look: Look,
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
    this.bodies = new Bodies(bodies, poses, moving, [...look.keys()], this.software)
    this.cameras.bodies = this.bodies
    this.bodies.setInk(this.palette.paper, this.palette.ink, this.palette.selection)
    this.scene.add(this.bodies.group)
    const box = this.bodies.bounds()
    if (box.isEmpty()) box.copy(EMPTY_CELL)
    this.ground.setBounds(box)
    box.getBoundingSphere(this.cameras.extent)
    this.restate()
  }

  /** Whether there is no graphics card: what moves is drawn roughly. */
  get software(): boolean {
    return this.painter.software
  }

  /** How many coordinate systems there are. */
  get nodeCount(): number {
    return this.bodies?.nodes.length ?? 0
  }

  /** A point of the world (mm) in a coordinate system. */
  inFrame(node: number, at: Vec3): Vec3 {
    const matrix = this.bodies?.nodes[node]?.matrix
    return matrix ? mm(metres(at).applyMatrix4(matrix.clone().invert())) : at
  }

  setPoses(nodes: number[], poses: ArrayLike<number>[]) {
    this.bodies?.setPoses(nodes, poses)
    this.shadowsStale = this.moving = true
    this.invalidate()
  }

  /** Takes items that stand still to other places, and marks these frames. */
  setRest(poses: ArrayLike<number>[], frames: SceneFrame[]) {
    this.bodies?.setRest(poses)
    this.marked = frames
    this.shadowsStale = true
    this.invalidate()
  }

  /** Whose items have which role and colour. */
  setLook(look: Look) {
    this.look = look
    this.restate()
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

  /** Takes away what lies on the side of the plane's normal, and shows the cut faces hatched. */
  setSection(section: Section | null, faces: Schemas['SectionFaces'] | null) {
    const colourOf = (item: string) =>
      this.shown.selected.has(item) ? this.palette.selection : this.roleColour(item)
    this.cut.set(section, faces, colourOf, this.palette)
    this.shadowsStale = true
    this.invalidate()
  }

  /** Marks the gap between two points, always on top. */
  setGap(gap: { a: Vec3; b: Vec3 } | null) {
    this.marks.setGap(gap)
    this.invalidate()
  }

  /** Marks edges at which a body is open, pairs of ends in mm, always on top. */
  setOpenEdges(edges: number[][][]) {
    this.marks.setOpenEdges(edges)
    this.invalidate()
  }

  /** The way of a tour's camera, as eyes in mm. */
  setTour(eyes: Vec3[]) {
    this.marks.setTour(eyes)
    this.invalidate()
  }

  /** Shows handles on what these coordinate systems carry, or none. */
  setHandles(carried: Carried | null, hooks: CarryHooks = {}) {
    this.carrying.set(carried, this.bodies, hooks)
  }

  /** Lets the handles hear the pointer on a pane. See `Carrying.aim`. */
  aimHandles(pane: number, element: HTMLElement, stepped: boolean, along: boolean) {
    const view = this.spots.view(pane)
    if (view) this.carrying.aim(view, element, stepped, along)
  }

  get handlesBusy(): boolean {
    return this.carrying.busy
  }

  /** What is shown or how it is coloured has changed. */
  private restate(shadows = true) {
    this.statesOf = undefined
    if (shadows) this.shadowsStale = true
    this.invalidate()
  }

  private writeStates(colours: Colours) {
    if (this.statesOf === colours) return
    this.statesOf = colours
    this.bodies?.setStates((item) => this.stateOf(item, colours))
  }

  private stateOf(item: string, colours: Colours): ItemState {
    const { visible, ghosts, selected, hovered } = this.shown
    const own = colours === 'own' && this.look.get(item)?.colour
    return {
      colour: new THREE.Color(own || this.roleColour(item)),
      shown: visible.has(item),
      ghost: ghosts.has(item),
      selected: selected.has(item),
      hovered: hovered === item,
    }
  }

  private roleColour(item: string): string {
    return this.palette.roles[this.look.get(item)?.role ?? ''] ?? this.palette.roles.group!
  }

  private pickable(): Pickable {
    const { panes, bodies, shown } = this
    const frames = this.marked.filter(this.furniture.frame)
    return { panes, bodies, ...shown, planes: this.cut.planes, frames }
  }

  // ---- drawing

  invalidate() {
    if (this.waiting) return
    this.waiting = true
    this.refining.stop()
    this.asked = requestAnimationFrame(() => this.render())
  }

  private render() {
    // Drawn now: what was asked for the next frame is done with it.
    cancelAnimationFrame(this.asked)
    this.waiting = false
    const start = performance.now()
    const { renderer, software } = this.painter
    if (software) this.setRatio(this.moving && this.fine ? this.pace.ratio : 1)
    else if (this.shadowsStale) renderer.shadowMap.needsUpdate = true
    if (!software) this.shadowsStale = false
    renderer.info.reset()
    renderer.setScissorTest(true)
    const ratio = renderer.getPixelRatio()
    for (const pane of this.panes) {
      this.painter.aimAt(pane, this.size.height)
      const painting = { width: pane.width * ratio, height: pane.height * ratio }
      this.painter.paint(pane, { ...painting, pixels: software ? ROUGH : undefined })
    }
    renderer.setScissorTest(false)
    this.told(start)
    if (software && this.moving && !this.pacing) void this.keepPace(start)
    this.moving = false
    if (software && this.fine && this.bodies)
      this.refining.later(this.panes, this.size.width, this.size.height)
  }

  private async keepPace(start: number) {
    this.pacing = true
    await this.painter.drawn()
    this.pacing = false
    this.pace.took(performance.now() - start)
  }

  private told(start: number) {
    this.frames++
    this.drawCalls = this.painter.renderer.info.render.calls
    this.scriptMs = performance.now() - start
    this.drawn()
  }

  private setRatio(ratio: number, anyway = false) {
    const { renderer } = this.painter
    if (renderer.getPixelRatio() === ratio && !anyway) return
    renderer.setPixelRatio(ratio)
    renderer.setSize(this.size.width, this.size.height, false)
  }

  /** Without a graphics card shadows are thrown when the picture rests. */
  private drawShadows() {
    if (!this.shadowsStale || !this.bodies || !this.furniture.shadow) return
    this.shadowsStale = false
    const { sun } = this.ground
    const { camera, mapSize } = sun.shadow
    sun.updateMatrixWorld()
    sun.target.updateMatrixWorld()
    sun.shadow.updateMatrices(sun)
    this.writeStates(this.statesOf ?? 'role')
    this.bodies.use({
      style: 'shaded',
      width: mapSize.x,
      height: mapSize.y,
      clip: this.cut.planes,
      sight: new Sight(camera, mapSize.x),
      pixels: ROUGH,
    })
    const { renderer } = this.painter
    renderer.shadowMap.needsUpdate = true
    // Shadows are drawn along with a picture, of which a pixel is enough.
    renderer.setRenderTarget(this.aside)
    renderer.render(this.scene, camera)
    this.ground.drawShadow(renderer, this.scene)
  }

  makeReady(pane: PaneView, camera: Camera, painting: Painting & { sight: Sight }) {
    const { viewpoint, style, colours } = pane
    this.writeStates(colours)
    // Lines are a pixel wide: they are fainter where that is more of the page.
    const strength = Math.min(1, painting.width / pane.width)
    this.bodies?.use({ style, strength, clip: this.cut.planes, ...painting })
    const shadow = this.furniture.shadow && throwsShadows(pane)
    this.bodies?.receiveShadows(shadow && !this.painter.software)
    this.ground.use(widthAtPivot(viewpoint) / 1e3, metres(viewpoint.pivot_mm), {
      grid: this.furniture.grid,
      shadow: shadow && !(this.software && this.shadowsStale),
    })
    this.carrying.draw(camera, pane.index >= 0)
    if (this.bodies)
      this.marks.drawFrames(
        this.spots.framesShown(),
        this.bodies,
        pane,
        camera,
        this.furniture.frameSize,
      )
    const another = pane.index >= 0 && pane.index !== this.active
    this.marks.drawCamera(another ? this.spots.view(this.active) : undefined)
  }

  /**
   * The picture of a view at a size of its own, in pixels: exact, or for a small one no more than a
   * pixel off.
   */
  snapshot(
    view: Pick<PaneView, 'viewpoint' | 'style' | 'colours'>,
    width: number,
    height: number,
    { furniture = this.furniture, small = false } = {},
  ): HTMLCanvasElement {
    const before = this.furniture
    const ratio = this.painter.renderer.getPixelRatio()
    this.furniture = furniture
    if (this.painter.software) this.drawShadows()
    const pixels = small && this.painter.software ? ROUGH : undefined
    const pane = { ...view, index: -1, left: 0, top: 0, width, height }
    const picture = this.painter.snapshot(pane, pixels)
    this.furniture = before
    this.setRatio(ratio, true)
    this.render()
    return picture
  }
}

const mm = (p: THREE.Vector3): Vec3 => p.clone().divideScalar(1e-3).toArray()

/** A drawing to measure by has no shadows: in line styles, and in parallel standard views. */
function throwsShadows({ viewpoint, style }: PaneView): boolean {
  if (style !== 'shaded' && style !== 'shaded_edges') return false
  return viewpoint.projection === 'perspective' || !isStandard(viewpoint)
}
