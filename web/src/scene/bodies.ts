import * as THREE from 'three'

import type { Style } from '../api/client'
import { Batch, type Member, type Showing } from './batch'
import type { Cutaway } from './cutaway'
import { Materials } from './materials'
import type { DrawnMesh } from './meshes'
import { matrixOf } from './poses'
import { GHOST, SHOWN, UNCUT } from './shaders'
import type { Sight } from './sight'

export interface SceneBody {
  item: string
  node: number
  mesh: DrawnMesh
}

/** Where something stands in the world. */
type Place = Pick<THREE.Object3D, 'matrix' | 'matrixWorldNeedsUpdate'>

/** How an item is drawn now. */
export interface ItemState {
  colour: THREE.Color
  shown: boolean
  ghost: boolean
  selected: boolean
  hovered: boolean
  /** No section cuts it. */
  uncut: boolean
}

/** How bodies are drawn on one picture. */
export interface Drawing {
  style: Style
  /** Pixels. */
  width: number
  height: number
  /** How strong lines are, 1 if not given. */
  strength?: number
  cutaway: Cutaway
  sight: Sight
  /**
   * Only what can be seen is drawn, and so many pixels from what is there at most. Without it, all
   * there is, exactly: as a graphics card likes it.
   */
  pixels?: number
}

/** Lines of what is drawn roughly lie so much farther to the front than what is rough may lie. */
const AHEAD = 1.5
/** On faces no more lines are drawn roughly: the smallest bodies go without. */
const LINES_AT_MOST = 16_000
const STATES_WIDE = 64
const OUTLINED: Style[] = ['wireframe', 'hidden_dashed', 'hidden_removed']

/**
 * All bodies of a cell. Those that share a coordinate system, and all that never move, are drawn
 * together; what is shown of each item stands in a texture.
 */
export class Bodies {
  readonly group = new THREE.Group()
  /** Coordinate systems. Those that move carry what is drawn; all others are just places. */
  readonly nodes: Place[]
  /** Whether anything is ghosted: if not, that pass is left out. */
  private anyGhost = false
  private index = new Map<string, number>()
  private showing: Showing[] = []
  private chosen: boolean[] = []
  private texture: THREE.DataTexture
  private batches: Batch[] = []
  private materials: Materials

  constructor(
    readonly bodies: SceneBody[],
    poses: ArrayLike<number>[],
    moving: number[],
    items: string[],
    software = false,
  ) {
    items.forEach((item, i) => this.index.set(item, i))
    const height = Math.max(1, Math.ceil(items.length / STATES_WIDE))
    const states = new Float32Array(STATES_WIDE * height * 4)
    const format = [THREE.RGBAFormat, THREE.FloatType] as const
    this.texture = new THREE.DataTexture(states, STATES_WIDE, height, ...format)
    this.materials = new Materials(this.texture, software)

    const mobile = new Map(moving.map((node) => [node, new THREE.Group()]))
    this.nodes = poses.map((pose, i) => {
      const node = mobile.get(i) ?? { matrix: new THREE.Matrix4(), matrixWorldNeedsUpdate: false }
      place(node, pose)
      return node
    })
    const standing = bodies.filter((b) => !mobile.has(b.node))
    this.add(this.group, standing, (b) => this.nodes[b.node]!.matrix)
    for (const [node, group] of mobile) {
      group.matrixAutoUpdate = false
      this.add(
        group,
        bodies.filter((b) => b.node === node),
        () => new THREE.Matrix4(),
      )
      this.group.add(group)
    }
  }

  private add(parent: THREE.Object3D, bodies: SceneBody[], place: (b: SceneBody) => THREE.Matrix4) {
    if (!bodies.length) return
    const members = bodies.map((body): Member => {
      const item = this.index.get(body.item) ?? 0
      const where = () => place(body)
      const starts = { corner: 0, end: 0, soft: 0 }
      return { mesh: body.mesh, item, place: where, matrix: where().clone(), ...starts }
    })
    this.batches.push(new Batch(parent, members, this.materials))
  }

  /** Whether shadows fall on bodies, too, and not on the ground alone. */
  receiveShadows(on: boolean) {
    for (const { faces } of this.batches) faces.receiveShadow = on
  }

  setPoses(nodes: number[], poses: ArrayLike<number>[]) {
    poses.forEach((pose, i) => place(this.nodes[nodes[i]!]!, pose))
  }

  /**
   * Takes all coordinate systems to other places: those that stand still are drawn anew where they
   * are now.
   */
  setRest(poses: ArrayLike<number>[]) {
    poses.forEach((pose, i) => place(this.nodes[i]!, pose))
    this.rebake()
  }

  /**
   * Takes some coordinate systems along with a motion in the world, from where `from` says they
   * stood.
   */
  carry(nodes: Iterable<number>, from: THREE.Matrix4[], motion: THREE.Matrix4) {
    for (const n of nodes) {
      this.nodes[n]!.matrix.copy(motion).multiply(from[n]!)
      this.nodes[n]!.matrixWorldNeedsUpdate = true
    }
    this.rebake()
  }

  private rebake() {
    for (const batch of this.batches) batch.rebake()
  }

  /** Writes how each item is drawn. */
  setStates(state: (item: string) => ItemState) {
    const data = this.texture.image.data as Float32Array
    this.anyGhost = false
    for (const [item, i] of this.index) {
      const { colour, shown, ghost, uncut, ...touched } = state(item)
      this.anyGhost ||= ghost
      this.showing[i] = showingOf(shown, ghost)
      this.chosen[i] = touched.selected && (shown || ghost)
      const alpha = (alphaOf(this.showing[i], touched) - (uncut ? UNCUT : 0)) / SHOWN
      data.set([colour.r, colour.g, colour.b, alpha], i * 4)
    }
    this.texture.needsUpdate = true
  }

  setInk(paper: string, ink: string, plum: string) {
    this.materials.setInk(paper, ink, plum)
  }

  /** Makes what is drawn next be drawn so. */
  use({ style, width, height, strength, cutaway, sight, pixels }: Drawing) {
    const outlined = OUTLINED.includes(style)
    this.materials.use(style, width, height, strength ?? 1, cutaway)
    this.materials.ahead = pixels ? sight.pixelAt(1) * pixels * AHEAD : 0
    const showing = (item: number) => this.showing[item] ?? 'hidden'
    const chosen = (item: number) => this.chosen[item] ?? false
    this.choose(sight, pixels, showing, outlined)
    for (const batch of this.batches) {
      batch.surround(chosen)
      if (outlined) batch.drawOutlines(sight)
      batch.use({
        faces: this.materials.facesIn(style),
        ghosts: this.anyGhost,
        edges: style !== 'shaded',
        outlined,
        behind: style === 'hidden_dashed',
      })
    }
  }

  private choose(
    sight: Sight,
    pixels: number | undefined,
    showing: (item: number) => Showing,
    outlined: boolean,
  ) {
    if (pixels === undefined) {
      for (const batch of this.batches) batch.drawAll()
      return
    }
    for (const batch of this.batches) batch.choose(sight, pixels, showing)
    // Where lines are all there is, none may be left out.
    const all = this.batches.flatMap((batch) => batch.seen)
    const smallest = pixels && !outlined ? smallestWith(LINES_AT_MOST, all) : 0
    for (const batch of this.batches) batch.list(smallest, showing)
  }

  dispose() {
    for (const batch of this.batches) batch.dispose()
    this.materials.dispose()
    this.texture.dispose()
  }

  /** Box round all bodies, m. */
  bounds(): THREE.Box3 {
    const box = new THREE.Box3()
    for (const body of this.bodies)
      box.union(body.mesh.box.clone().applyMatrix4(this.nodes[body.node]!.matrix))
    return box
  }
}

/** From which size on all have no more lines together than so many. */
export function smallestWith(most: number, of: { lines: number; size: number }[]): number {
  let left = most
  for (const { lines, size } of [...of].sort((a, b) => b.size - a.size)) {
    left -= lines
    if (left < 0) return size * (1 + Number.EPSILON)
  }
  return 0
}

function showingOf(shown: boolean, ghost: boolean): Showing {
  if (shown) return 'shown'
  return ghost ? 'ghost' : 'hidden'
}

/** What the shaders read of an item: see `materials.ts`. */
function alphaOf(
  showing: Showing,
  { selected, hovered }: { selected: boolean; hovered: boolean },
): number {
  if (showing === 'hidden') return 0
  const drawn = showing === 'shown' ? SHOWN : GHOST
  if (selected) return drawn - 1
  return hovered ? drawn - 2 : drawn
}

/** x, y, z (m), quaternion x, y, z, w. */
export function place(group: Place, pose: ArrayLike<number>) {
  group.matrix.copy(matrixOf(pose))
  group.matrixWorldNeedsUpdate = true
}
