/** What sections take away, for drawing and picking. Lengths in m. */
import * as THREE from 'three'

import type { Section, Vec3 } from '../api/client'
import { metres } from './cameras'

/**
 * A convex piece of space that is taken away: what lies behind all of its planes, which face what
 * is kept.
 */
type Piece = THREE.Plane[]

/** The pieces that a section takes away, where its frame stands there. */
export function piecesOf(section: Section, frame: THREE.Matrix4): Piece[] {
  const point = metres(section.point_mm).applyMatrix4(frame)
  const facing = (normal: readonly number[]) =>
    new THREE.Vector3(...(normal as Vec3)).transformDirection(frame).negate()
  const plane = (normal: THREE.Vector3, at = point) =>
    new THREE.Plane().setFromNormalAndCoplanarPoint(normal, at)
  const first = plane(facing(section.normal))
  const { shape = 'plane' } = section
  if (shape === 'plane') return [[first]]
  if ('corner' in shape)
    return [[first, ...shape.corner.others.map((other) => plane(facing(other)))]]
  const back = point.clone().addScaledVector(first.normal, shape.slab.thickness_mm / 1e3)
  return [[first], [plane(first.normal.clone().negate(), back)]]
}

/** All that is taken away, and from what. */
export class Cutaway {
  constructor(
    readonly pieces: Piece[] = [],
    /** Items that no section cuts. */
    readonly uncut: ReadonlySet<string> = new Set(),
  ) {}

  /** All planes, piece by piece, for materials. */
  get planes(): THREE.Plane[] {
    return this.pieces.flat()
  }

  /** Whether a fragment is taken away, of `BEFORE(i)` for each of the planes: for shaders. */
  get test(): string {
    let next = 0
    const all = this.pieces.map((piece) => piece.map(() => `BEFORE(${next++})`).join(' && '))
    return all.map((each) => `(${each})`).join(' || ')
  }

  /** Whether a point of an item is left; of anything, if none is named. */
  keeps(at: THREE.Vector3, item?: string): boolean {
    if (item !== undefined && this.uncut.has(item)) return true
    return this.pieces.every((piece) => piece.some((plane) => plane.distanceToPoint(at) >= 0))
  }

  /** What is left of an item, as convex pieces that do not overlap, by planes that face inwards. */
  left(item: string): THREE.Plane[][] {
    if (this.uncut.has(item)) return [[]]
    const outside = (piece: Piece) =>
      piece.map((plane, i) => [...piece.slice(0, i).map((p) => p.clone().negate()), plane])
    return this.pieces.reduce<THREE.Plane[][]>(
      (cells, piece) => cells.flatMap((cell) => outside(piece).map((more) => [...cell, ...more])),
      [[]],
    )
  }
}
