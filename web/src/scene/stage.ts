/**
 * What stands in the picture: told what to show, knows nothing of panels nor of when it is drawn.
 * Lengths in metres inside, Z up.
 */
import * as THREE from 'three'

import type { Colours, Schemas, Vec3 } from '../api/client'
import { Bodies, type ItemState, type SceneBody } from './bodies'
import { type Camera, type Cameras, metres } from './cameras'
import { type Carried, type CarryHooks, Carrying } from './carrying'
import { Cut, type Cuts } from './cut'
import { Ground } from './ground'
import { lights, type Palette } from './look'
import { Marks, type SceneFrame } from './marks'
import { isStandard, widthAtPivot } from './navigation'
import { type Painting, type PaneView, ROUGH } from './painter'
import { Shade, type Shaded } from './shade'
import { Sight } from './sight'
import type { Standing } from './spots'

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

/** What is there when nothing is, m. */
const EMPTY_CELL = new THREE.Box3(new THREE.Vector3(-2, -2, 0), new THREE.Vector3(2, 2, 2))

export class Stage {
  readonly scene = new THREE.Scene()
  furniture: Furniture = { grid: true, shadow: true, frame: () => false, frameSize: 34 }
  /** Shadows are not those of what is shown now. */
  shadowsStale = true
  private bodies?: Bodies
  private ground = new Ground()
  private cut = new Cut()
  private shade = new Shade()
  private marks: Marks
  private carrying: Carrying
  private marked: SceneFrame[] = []
  private aside = new THREE.WebGLRenderTarget(1, 1)
  private shown: Shown = {
    visible: new Set(),
    ghosts: new Set(),
    selected: new Set(),
    hovered: null,
  }
  private look: Look = new Map()
  private uncut: ReadonlySet<string> = new Set()
  private statesOf?: Colours

  constructor(
    private palette: Palette,
    private cameras: Cameras,
    /** There is no graphics card. */
    private software: boolean,
    /** Something is to be drawn; whether it stands elsewhere than before. */
    private changed: (moved: boolean) => void,
  ) {
    this.marks = new Marks(palette)
    this.carrying = new Carrying(
      this.scene,
      this.cameras,
      () => this.palette,
      (moved) => {
        if (moved) this.shadowsStale = true
        this.changed(moved)
      },
    )
    const sky = new THREE.HemisphereLight(lights.sky, lights.floor, 1.75)
    sky.position.set(0, 0, 1)
    const fill = new THREE.DirectionalLight(lights.fill, 0.5)
    fill.position.set(3, 4, 2)
    const { sun, group } = this.ground
    this.scene.add(
      sky,
      fill,
      sun,
      sun.target,
      group,
      this.cut.group,
      this.shade.group,
      ...this.marks.objects,
    )
    this.setPalette(palette)
  }

  dispose() {
    this.bodies?.dispose()
    this.carrying.dispose()
    this.ground.dispose()
    this.aside.dispose()
  }

  setPalette(palette: Palette) {
    this.palette = palette
    this.scene.background = new THREE.Color(palette.paper)
    this.ground.setPalette(palette)
    this.marks.setPalette(palette)
    this.bodies?.setInk(palette.paper, palette.ink, palette.selection)
    this.restate()
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
    this.carrying.again()
    this.standCuts()
    this.shadowsStale = true
    this.changed(true)
  }

  /** Takes items that stand still to other places, and marks these frames. */
  setRest(poses: ArrayLike<number>[], frames: SceneFrame[]) {
    this.bodies?.setRest(poses)
    this.carrying.leave()
    this.standCuts()
    this.marked = frames
    this.shadowsStale = true
    this.changed(false)
  }

  /** Whose items have which role and colour. */
  setLook(look: Look) {
    this.look = look
    this.cut.tint(this.cutColour, this.palette)
    this.restate()
  }

  setShown(shown: Shown) {
    // What is merely pointed at or selected throws the same shadow.
    const same = shown.visible === this.shown.visible
    this.shown = shown
    this.cut.tint(this.cutColour, this.palette)
    this.restate(!same)
  }

  /** The colour of something's cut faces. */
  private cutColour = (item: string) =>
    this.shown.selected.has(item) ? this.palette.selection : this.roleColour(item)

  setFurniture(furniture: Furniture) {
    this.furniture = furniture
    this.changed(false)
  }

  /** Takes away what sections do, and shows the cut faces hatched. */
  setSections(cuts: Cuts, faces: Schemas['SectionFaces'] | null) {
    this.cut.set(cuts, faces, this.bodies?.nodes ?? [], this.cutColour, this.palette)
    this.uncut = cuts.uncut
    this.restate()
  }

  /** Cuts that are fixed to frames move with them. */
  private standCuts() {
    if (this.bodies && this.cut.rides) this.cut.stand(this.bodies.nodes)
  }

  /** Marks the gap between two points, always on top. */
  setGap(gap: { a: Vec3; b: Vec3 } | null) {
    this.marks.setGap(gap)
    this.changed(false)
  }

  /** Marks edges at which a body is open, pairs of ends in mm, always on top. */
  setOpenEdges(edges: number[][][]) {
    this.marks.setOpenEdges(edges)
    this.changed(false)
  }

  /** Lines of what is measured, and the span between two points, mm; always on top. */
  setMeasured(lines: Vec3[][], span: [Vec3, Vec3] | null) {
    this.marks.setMeasured(lines, span)
    this.changed(false)
  }

  /** Lines of what can be reached, mm; always on top. */
  setReached(lines: Vec3[][]) {
    this.marks.setReached(lines)
    this.changed(false)
  }

  /** Tints faces that can be come to, and those that can't. */
  setShade(shaded: Shaded | null) {
    this.shade.set(shaded, this.palette)
    this.changed(false)
  }

  /** The way of a tour's camera, as eyes in mm. */
  setTour(eyes: Vec3[]) {
    this.marks.setTour(eyes)
    this.changed(false)
  }

  /** Shows handles on what these coordinate systems carry, or none. */
  setHandles(carried: Carried | null, hooks: CarryHooks = {}) {
    this.carrying.set(carried, this.bodies, hooks)
  }

  /** Lets the handles hear the pointer on a pane. See `Carrying.aim`. */
  aimHandles(view: PaneView, element: HTMLElement, stepped: boolean, along: boolean) {
    this.carrying.aim(view, element, stepped, along)
  }

  get handlesBusy(): boolean {
    return this.carrying.busy
  }

  /** What is shown or how it is coloured has changed. */
  private restate(shadows = true) {
    this.statesOf = undefined
    if (shadows) this.shadowsStale = true
    this.changed(false)
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
      uncut: this.uncut.has(item),
    }
  }

  private roleColour(item: string): string {
    return this.palette.roles[this.look.get(item)?.role ?? ''] ?? this.palette.roles.group!
  }

  /** What is there to be picked. */
  get standing(): Standing {
    const frames = this.marked.filter(this.furniture.frame)
    const cutFaces = (ray: THREE.Ray) => this.cut.hits(ray)
    const { cutaway } = this.cut
    return { bodies: this.bodies, ...this.shown, cutaway, cutFaces, frames }
  }

  /** Without a graphics card shadows are thrown when the picture rests. */
  drawShadows(renderer: THREE.WebGLRenderer) {
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
      cutaway: this.cut.cutaway,
      sight: new Sight(camera, mapSize.x),
      pixels: ROUGH,
    })
    renderer.shadowMap.needsUpdate = true
    // Shadows are drawn along with a picture, of which a pixel is enough.
    renderer.setRenderTarget(this.aside)
    renderer.render(this.scene, camera)
    this.ground.drawShadow(renderer, this.scene)
  }

  /** Makes all ready for a pane; `frames` are marked, `other` is another pane's camera. */
  makeReady(
    pane: PaneView,
    camera: Camera,
    painting: Painting & { sight: Sight },
    { frames, other }: { frames: SceneFrame[]; other?: PaneView },
  ) {
    const { viewpoint, style, colours } = pane
    this.writeStates(colours)
    // Lines are a pixel wide: they are fainter where that is more of the page.
    const strength = Math.min(1, painting.width / pane.width)
    this.bodies?.use({ style, strength, cutaway: this.cut.cutaway, ...painting })
    const shadow = this.furniture.shadow && throwsShadows(pane)
    this.bodies?.receiveShadows(shadow && !this.software)
    this.ground.use(widthAtPivot(viewpoint) / 1e3, metres(viewpoint.pivot_mm), {
      grid: this.furniture.grid,
      shadow: shadow && !(this.software && this.shadowsStale),
    })
    this.carrying.draw(camera, pane.index >= 0)
    if (this.bodies)
      this.marks.drawFrames(frames, this.bodies, pane, camera, this.furniture.frameSize)
    this.marks.drawCamera(other)
  }
}

const mm = (p: THREE.Vector3): Vec3 => p.clone().divideScalar(1e-3).toArray()

/** A drawing to measure by has no shadows: in line styles, and in parallel standard views. */
function throwsShadows({ viewpoint, style }: PaneView): boolean {
  if (style !== 'shaded' && style !== 'shaded_edges') return false
  return viewpoint.projection === 'perspective' || !isStandard(viewpoint)
}
