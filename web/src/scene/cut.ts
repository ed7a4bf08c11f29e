import * as THREE from 'three'
import { LineMaterial } from 'three/addons/lines/LineMaterial.js'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js'

import type { Schemas, Section, Vec3 } from '../api/client'
import { metres } from './cameras'
import { Cutaway, piecesOf } from './cutaway'
import { hatchedFaces, tintOf } from './hatching'
import type { Hit } from './picking'

/** So far before a cut face its outline is drawn, and an overlap before both, m. */
const [OUTLINE, OVERLAP] = [4e-4, 2e-4]
/** How wide outlines are drawn, pixels: twice as wide as edges. */
const WIDE = 2.4

/** What is cut, and where the frames stand that cuts are fixed to. */
export interface Cuts {
  sections: Section[]
  uncut: ReadonlySet<string>
  /** The coordinate system of an item. */
  nodeOf: (item: string) => number | undefined
}
export const NO_CUTS: Cuts = { sections: [], uncut: new Set(), nodeOf: () => undefined }

const AT_HOME = new THREE.Matrix4()

/** What sections take away, and the cut faces. */
export class Cut {
  readonly group = new THREE.Group()
  cutaway = new Cutaway()
  private cuts = NO_CUTS

  /** Takes away what the sections do, and shows the cut faces hatched. */
  set(
    cuts: Cuts,
    faces: Schemas['SectionFaces'] | null,
    frames: readonly { matrix: THREE.Matrix4 }[],
    colourOf: (item: string) => string,
    palette: { paper: string; ink: string },
  ) {
    this.clear()
    this.cuts = cuts
    this.stand(frames)
    if (!cuts.sections.length) return
    const ends: number[] = []
    for (const face of faces?.faces ?? []) {
      const tint = hatchedFaces(colourOf(face.item), palette, face.hatch)
      const drawn = filled(face, tint)
      drawn.userData = { item: face.item }
      this.add(drawn, ZERO)
      outline(face, ends)
    }
    for (const both of faces?.overlaps ?? []) {
      const off = new THREE.Vector3(...(both.normal as Vec3)).multiplyScalar(OVERLAP)
      this.add(filled(both, hatchedFaces(palette.ink, palette, 'overlap')), off)
      outline({ ...both, open_mm: [] }, ends)
    }
    if (ends.length) this.group.add(drawnLines(ends, palette.ink))
  }

  /** Colours the cut faces anew. */
  tint(colourOf: (item: string) => string, palette: { paper: string }) {
    for (const face of this.faces) {
      const { uniforms } = face.material as THREE.ShaderMaterial
      uniforms.tint!.value = tintOf(colourOf(face.userData.item as string), palette)
    }
  }

  private get faces(): THREE.Mesh[] {
    return this.group.children.filter((c) => c.userData.item) as THREE.Mesh[]
  }

  /** The cut faces that a ray meets, nearest first. */
  hits(ray: THREE.Ray): Hit[] {
    const { faces } = this
    faces.forEach((face) => face.updateMatrixWorld())
    const caster = new THREE.Raycaster(ray.origin, ray.direction)
    const met = caster.intersectObjects(faces, false)
    return met.map(({ object, point }) => ({
      item: object.userData.item as string,
      at: point.clone().multiplyScalar(1e3).toArray(),
      cut: true,
    }))
  }

  /** Takes cuts along that are fixed to frames. */
  stand(frames: readonly { matrix: THREE.Matrix4 }[]) {
    const { sections, uncut, nodeOf } = this.cuts
    const frameOf = ({ fixed_to }: Section) => {
      const node = fixed_to ? nodeOf(fixed_to) : undefined
      return (node !== undefined && frames[node]?.matrix) || AT_HOME
    }
    const pieces = sections.flatMap((section) => piecesOf(section, frameOf(section)))
    this.cutaway = new Cutaway(pieces, uncut)
  }

  /** Whether some cut moves with a frame. */
  get rides(): boolean {
    return this.cuts.sections.some((s) => s.fixed_to)
  }

  private add(drawn: THREE.Object3D, off: THREE.Vector3) {
    drawn.position.copy(off)
    this.group.add(drawn)
  }

  private clear() {
    for (const drawn of this.group.children as THREE.Mesh[]) {
      drawn.geometry.dispose()
      ;(drawn.material as THREE.Material).dispose()
    }
    this.group.clear()
    this.cutaway = new Cutaway()
  }
}

const ZERO = new THREE.Vector3()

/** Triangles over the points of all outlines. */
function filled(
  { outlines_mm, triangles }: { outlines_mm: number[][][]; triangles: number[][] },
  material: THREE.Material,
): THREE.Mesh {
  const points = Float32Array.from(outlines_mm.flat(2), (mm) => mm / 1e3)
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(points, 3))
  geometry.setIndex(triangles.flat())
  return new THREE.Mesh(geometry, material)
}

/** Appends the ends (m) of the pieces of a face's outlines, a hair before it. */
function outline(
  face: { normal: number[]; outlines_mm: number[][][]; open_mm: number[][][] },
  ends: number[],
) {
  const off = new THREE.Vector3(...(face.normal as Vec3)).multiplyScalar(OUTLINE)
  const closed = face.outlines_mm.map((loop) => [...loop, loop[0]!])
  for (const way of [...closed, ...face.open_mm]) {
    const points = way.map((p) => metres(p as Vec3).add(off))
    points.slice(1).forEach((p, i) => ends.push(...points[i]!.toArray(), ...p.toArray()))
  }
}

function drawnLines(ends: number[], ink: string): LineSegments2 {
  const geometry = new LineSegmentsGeometry()
  geometry.setPositions(ends)
  const lines = new LineSegments2(geometry, new LineMaterial({ color: ink, linewidth: WIDE }))
  lines.frustumCulled = false
  return lines
}
