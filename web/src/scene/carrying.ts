import * as THREE from 'three'

import type { Bodies } from './bodies'
import { matrixOf } from './poses'
import type { Cameras } from './cameras'
import { type Grip, Handles } from './handles'
import type { Palette } from './look'
import type { PaneView } from './painter'

/** What is carried by the handles, and from where. */
export interface Carried {
  mode: Grip['mode']
  at: ArrayLike<number>
  size: number
  /** Coordinate systems that go along. */
  nodes: number[]
}

/** What is told while and after something is carried: the motion in the world since it began. */
export interface CarryHooks {
  moved?: (motion: THREE.Matrix4) => void
  placed?: (motion: THREE.Matrix4) => void
}

/** Handles on the selection, and what goes along with them. */
export class Carrying {
  /** Made when first asked for. */
  private handles?: Handles
  private gripped: { nodes: Set<number>; from: THREE.Matrix4[] } | null = null
  /** How far that was taken, until everything stands as the cell says again. */
  private motion: THREE.Matrix4 | null = null
  /** From where a drag is judged while the camera goes along. */
  private frozen: PaneView | null = null
  private hooks: CarryHooks = {}

  constructor(
    private scene: THREE.Scene,
    private cameras: Cameras,
    private palette: () => Palette,
    private changed: (moved: boolean) => void,
  ) {}

  get busy(): boolean {
    return this.handles?.busy ?? false
  }

  dispose() {
    this.handles?.dispose()
  }

  /** Shows handles, or none: what is being dragged is then back where it was. */
  set(carried: Carried | null, bodies: Bodies | undefined, hooks: CarryHooks) {
    if (!carried && !this.handles) return
    if (this.handles?.dragging) {
      if (carried) return
      this.handles.cancel()
      this.frozen = null
    }
    this.hooks = hooks
    this.motion = null
    this.gripped =
      carried && bodies
        ? { nodes: new Set(carried.nodes), from: bodies.nodes.map((n) => n.matrix.clone()) }
        : null
    this.handles ??= this.newHandles()
    this.handles.set(
      carried && { mode: carried.mode, at: matrixOf(carried.at), size: carried.size },
    )
    this.changed(false)
  }

  /** Takes along again what is in the hand: something has put it where it stands on the path. */
  again() {
    const { gripped, motion } = this
    if (gripped && motion) this.cameras.bodies?.carry(gripped.nodes, gripped.from, motion)
  }

  /** Leaves everything where it is: that is where the cell says it stands. */
  leave() {
    this.motion = null
  }

  /**
   * Lets the handles hear the pointer on a pane; `stepped` moves them in steps, `along` judges the
   * drag from where it began.
   */
  aim(view: PaneView, element: HTMLElement, stepped: boolean, along: boolean) {
    if (!this.handles?.shown) return
    this.handles.listen(element)
    if (along && this.handles.dragging) this.frozen ??= view
    const viewpoint = this.frozen?.viewpoint ?? view.viewpoint
    this.handles.look(this.cameras.of({ ...view, viewpoint }), stepped)
  }

  /** They face the camera that draws them; pictures that are not on the page have none. */
  draw(camera: THREE.PerspectiveCamera | THREE.OrthographicCamera, onPage: boolean) {
    if (!this.handles) return
    this.handles.look(camera)
    this.handles.object.visible = this.handles.shown && onPage
  }

  private newHandles(): Handles {
    const moved = (motion: THREE.Matrix4) => {
      this.motion = motion
      this.again()
      this.hooks.moved?.(motion)
      this.changed(true)
    }
    const placed = (motion: THREE.Matrix4) => {
      this.frozen = null
      this.hooks.placed?.(motion)
    }
    const { axes, selection } = this.palette()
    const changed = () => this.changed(false)
    return new Handles(
      this.scene,
      this.cameras.perspective,
      [...axes, selection],
      moved,
      placed,
      changed,
    )
  }
}
