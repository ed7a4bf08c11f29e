/** What is drawn over the bodies: frames, gaps, open edges, other cameras, ways of cameras. */
import * as THREE from 'three'

import type { Vec3, Viewpoint } from '../api/client'
import type { Bodies } from './bodies'
import { matrixOf } from './poses'
import { type Camera, metres } from './cameras'
import { axesOf, WideLines } from './lines'
import type { Palette } from './look'
import { basis, eye, halfAngle, widthAtPivot } from './navigation'
import type { PaneView } from './painter'

export interface SceneFrame {
  item: string | null
  kind: string
  node: number | null
  pose: ArrayLike<number>
}

const M = 1e-3
/** How far to the pivot the pyramid of another pane's camera is drawn. */
const CAMERA_SHARE = 0.3
/** In a pane narrower than this (pixels) frames are smaller, down to a share. */
const FULL_FRAMES_FROM = 700
const SMALLEST_FRAME = 0.6
const CORNERS = [
  [1, 1],
  [-1, 1],
  [-1, -1],
  [1, -1],
] as const

export class Marks {
  private frames = new WideLines(2.2, 20)
  private gap = new WideLines(2.5, 21)
  private openEdges = new WideLines(2.5, 20)
  private measured = new WideLines(2.5, 20)
  private reached = new WideLines(2, 19)
  private camera = new WideLines(1.6, 19)
  private tour = new WideLines(1.6, 19)
  readonly objects = [
    this.frames,
    this.gap,
    this.openEdges,
    this.measured,
    this.reached,
    this.camera,
    this.tour,
  ].map((lines) => lines.object)

  constructor(private palette: Palette) {}

  setPalette(palette: Palette) {
    this.palette = palette
  }

  /** Marks the gap between two points (mm). */
  setGap(gap: { a: Vec3; b: Vec3 } | null) {
    this.gap.setWay(gap ? [metres(gap.a), metres(gap.b)] : [], this.palette.broken)
  }

  /** Marks edges at which a body is open, pairs of ends in mm. */
  setOpenEdges(edges: number[][][]) {
    const colour = new THREE.Color(this.palette.broken)
    this.openEdges.set(
      edges.flat(2).map((x) => x * M),
      edges.map(() => colour),
    )
  }

  /** Lines of what is measured, and the span between two points, mm. */
  setMeasured(lines: Vec3[][], span: [Vec3, Vec3] | null) {
    setWays(this.measured, span ? [...lines, span] : lines, this.palette.selection)
  }

  /** Lines of what can be reached, mm. */
  setReached(lines: Vec3[][]) {
    setWays(this.reached, lines, this.palette.accent)
  }

  /** The way of a tour's camera, as eyes in mm. */
  setTour(eyes: Vec3[]) {
    this.tour.setWay(eyes.map(metres), this.palette.accent)
  }

  /** Marks frames by arrows so many pixels long whatever the distance. */
  drawFrames(frames: SceneFrame[], bodies: Bodies, pane: PaneView, camera: Camera, size: number) {
    const [ends, colours]: [number[], THREE.Color[]] = [[], []]
    const { viewpoint: v, width } = pane
    const length = size * Math.min(1, Math.max(SMALLEST_FRAME, width / FULL_FRAMES_FROM))
    for (const frame of frames) {
      const matrix = frameMatrix(frame, bodies)
      const at = new THREE.Vector3().setFromMatrixPosition(matrix)
      const depth = -at.applyMatrix4(camera.matrixWorldInverse).z
      if (v.projection === 'perspective' && depth <= 0) continue
      const across =
        v.projection === 'parallel' ? v.width_mm * M : 2 * depth * Math.tan(halfAngle(v.lens_mm))
      axesOf(matrix, (across / width) * length, this.palette.axes, ends, colours)
    }
    this.frames.set(ends, colours)
  }

  /** The camera of another pane with its field of view. */
  drawCamera(other?: PaneView) {
    if (!other) return this.camera.set([], [])
    const ends = pyramid(other.viewpoint, other.height / other.width).flatMap((p) => p.toArray())
    const colour = new THREE.Color(this.palette.accent)
    this.camera.set(
      ends,
      Array.from({ length: ends.length / 6 }, () => colour),
    )
  }
}

/** Draws ways through points (mm) in one colour. */
function setWays(drawn: WideLines, ways: Vec3[][], ink: string) {
  const ends: number[] = []
  for (const way of ways)
    way.slice(1).forEach((p, i) => ends.push(...way[i]!.map((x) => x * M), ...p.map((x) => x * M)))
  const colour = new THREE.Color(ink)
  drawn.set(
    ends,
    Array.from({ length: ends.length / 6 }, () => colour),
  )
}

/** Where a frame stands in the world. */
export function frameMatrix(frame: SceneFrame, bodies: Bodies): THREE.Matrix4 {
  const local = matrixOf(frame.pose)
  return frame.node === null ? local : bodies.nodes[frame.node]!.matrix.clone().multiply(local)
}

/** Ends of lines round what a camera sees, and of its line of sight. */
function pyramid(v: Viewpoint, tall: number): THREE.Vector3[] {
  const { right, up } = basis(v)
  const perspective = v.projection === 'perspective'
  // In perspective a short pyramid and the line of sight say enough.
  const share = perspective ? CAMERA_SHARE : 1
  const half = (widthAtPivot(v) / 2) * M * share
  const aside = new THREE.Vector3(...right).multiplyScalar(half)
  const above = new THREE.Vector3(...up).multiplyScalar(half * tall)
  const at = metres(eye(v))
  const target = metres(v.pivot_mm)
  const middle = at.clone().lerp(target, share)
  const corners = CORNERS.map(([a, b]) =>
    middle.clone().addScaledVector(aside, a).addScaledVector(above, b),
  )
  const starts = corners.map((corner) => (perspective ? at : corner.clone().add(at).sub(middle)))
  const sides = corners.flatMap((corner, i) => [
    starts[i]!,
    corner,
    corner,
    corners[(i + 1) % corners.length]!,
  ])
  return [...sides, middle, target]
}
