/** What appears where on the panes, and what is under a pixel. */
import * as THREE from 'three'

import type { Vec3 } from '../api/client'
import type { Bodies } from './bodies'
import { type Cameras, metres, type Pixel } from './cameras'
import type { Cutaway } from './cutaway'
import { frameMatrix, type SceneFrame } from './marks'
import { add, basis } from './navigation'
import type { PaneView } from './painter'
import { cornerNear, type Hit, pickAll, within } from './picking'

/** A frame is picked from so near, pixels. */
const FRAME_NEAR = 7

/** What stands there to be picked. */
export interface Standing {
  bodies: Bodies | undefined
  visible: Set<string>
  ghosts: Set<string>
  cutaway: Cutaway
  /** Cut faces that a ray meets, nearest first. */
  cutFaces: (ray: THREE.Ray) => Hit[]
  /** Frames that are marked, cut away or not. */
  frames: SceneFrame[]
}

export class Spots {
  constructor(
    private cameras: Cameras,
    private now: () => Standing & { panes: PaneView[] },
  ) {}

  view(pane: number): PaneView | undefined {
    return this.now().panes.find((p) => p.index === pane)
  }

  /** Marked frames that are not cut away. */
  framesShown(): SceneFrame[] {
    const { bodies, frames, cutaway } = this.now()
    if (!bodies) return []
    return frames.filter((frame) => cutaway.keeps(placeOf(frame, bodies), frame.item ?? undefined))
  }

  /**
   * Where a point (mm) appears on a pane, in pixels from its upper left corner; null behind the
   * eye.
   */
  project(pane: number, at: Vec3): Pixel | null {
    const view = this.view(pane)
    return view ? this.cameras.project(view, at) : null
  }

  /** How long (mm) a pixel of a pane is where a point (mm) is. */
  pixel(pane: number, at: Vec3): number {
    const view = this.view(pane)
    if (!view) return 1
    const { right } = basis(view.viewpoint)
    const [here, aside] = [this.project(pane, at), this.project(pane, add(at, right, 1))]
    return here && aside
      ? 1 / Math.max(1e-9, Math.hypot(aside[0] - here[0], aside[1] - here[1]))
      : 1
  }

  /** Everything shown under a pixel of a pane, nearest first; a marked frame comes before all. */
  pickAll(pane: number, x: number, y: number, ghosts = false): Hit[] {
    const view = this.view(pane)
    const { bodies, visible, ghosts: hidden, cutaway, cutFaces } = this.now()
    if (!view || !bodies) return []
    const isShown = (item: string) => visible.has(item) || (ghosts && hidden.has(item))
    const ray = this.cameras.ray(view, x, y)
    const cuts = cutFaces(ray).filter((hit) => isShown(hit.item))
    const hits = nearestFirst(ray, cuts, pickAll(bodies, ray, isShown, cutaway))
    for (const frame of this.pickable()) {
      const at = mm(placeOf(frame, bodies))
      const seen = this.project(pane, at)
      if (!seen || Math.hypot(seen[0] - x, seen[1] - y) >= FRAME_NEAR) continue
      return [{ item: frame.item!, at }, ...hits]
    }
    return hits
  }

  pick(pane: number, x: number, y: number, ghosts = false): Hit | null {
    return this.pickAll(pane, x, y, ghosts)[0] ?? null
  }

  /** The corner (mm) of a hit triangle nearest to a pixel, if one is near; else the hit itself. */
  cornerNear(pane: number, hit: Hit, at: Pixel): Vec3 {
    const { bodies } = this.now()
    return bodies ? cornerNear(bodies, hit, at, (p) => this.project(pane, p)) : hit.at
  }

  /** What lies in the middle of a pane. */
  middle(pane: number): Hit | null {
    const view = this.view(pane)
    return view ? this.pick(pane, view.width / 2, view.height / 2) : null
  }

  /** Items that a rectangle of a pane holds wholly, or touches. */
  within(pane: number, from: Pixel, to: Pixel, touching: boolean): string[] {
    const view = this.view(pane)
    const { bodies, visible, cutaway } = this.now()
    if (!view || !bodies) return []
    const sides = this.cameras.sides(view, from, to)
    const found = within(bodies, visible, sides, cutaway, touching)
    const bodied = new Set(bodies.bodies.map((b) => b.item))
    const frames = this.pickable().filter((frame) => {
      const at = placeOf(frame, bodies)
      return !bodied.has(frame.item!) && sides.every((side) => side.distanceToPoint(at) > 0)
    })
    return [...new Set([...found, ...frames.map((f) => f.item!)])]
  }

  /**
   * The point (mm) under a pixel on the plane through `through` square to `normal`; by default it
   * faces the eye.
   */
  onPlane(pane: number, x: number, y: number, through: Vec3, normal?: Vec3): Vec3 | null {
    return this.cameras.onPlane(this.view(pane)!, [x, y], through, normal)
  }

  /** Those that belong to an item. */
  private pickable(): SceneFrame[] {
    return this.framesShown().filter((f) => f.item)
  }
}

/** Cut faces and bodies, nearest first; what of an item lies behind its cut face is not seen. */
function nearestFirst(ray: THREE.Ray, cuts: Hit[], bodies: Hit[]): Hit[] {
  const away = ({ at }: Hit) => metres(at).distanceTo(ray.origin)
  const faces = new Map(cuts.toReversed().map((hit) => [hit.item, hit]))
  const isSeen = (hit: Hit) => {
    const face = faces.get(hit.item)
    return !face || away(hit) < away(face)
  }
  return [...faces.values(), ...bodies.filter(isSeen)].toSorted((a, b) => away(a) - away(b))
}

const placeOf = (frame: SceneFrame, bodies: Bodies) =>
  new THREE.Vector3().setFromMatrixPosition(frameMatrix(frame, bodies))

const mm = (p: THREE.Vector3): Vec3 => p.clone().divideScalar(1e-3).toArray()
