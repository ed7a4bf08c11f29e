import * as THREE from 'three'

import type { Schemas, Section, Vec3 } from '../api/client'
import { metres } from './cameras'
import { hatchedFaces } from './hatching'

/** So far before a cut face its outline is drawn, m. */
const BEFORE_FACE = 4e-4

/** What a section takes away, and the cut faces. */
export class Cut {
  readonly group = new THREE.Group()
  /** What lies behind these is shown. */
  planes: THREE.Plane[] = []

  /** Takes away what lies on the side of the plane's normal, and shows the cut faces hatched. */
  set(
    section: Section | null,
    faces: Schemas['SectionFaces'] | null,
    colourOf: (item: string) => string,
    palette: { paper: string; ink: string },
  ) {
    this.clear()
    if (!section) return
    const normal = new THREE.Vector3(...(section.normal as Vec3)).normalize()
    const kept = normal.clone().negate()
    this.planes = [new THREE.Plane().setFromNormalAndCoplanarPoint(kept, metres(section.point_mm))]
    for (const face of faces?.faces ?? []) {
      this.group.add(filled(face.triangles_mm, hatchedFaces(colourOf(face.item), palette)))
      const closed = face.outlines_mm.map((loop) => [...loop, loop[0]!])
      for (const way of [...closed, ...face.open_mm])
        this.group.add(drawnLine(way, normal, palette.ink))
    }
  }

  private clear() {
    for (const drawn of this.group.children as (THREE.Mesh | THREE.Line)[]) {
      drawn.geometry.dispose()
      ;(drawn.material as THREE.Material).dispose()
    }
    this.group.clear()
    this.planes = []
  }
}

function filled(triangles_mm: number[][], material: THREE.Material): THREE.Mesh {
  const corners = Float32Array.from(triangles_mm.flat(), (mm) => mm / 1e3)
  const geometry = new THREE.BufferGeometry()
  geometry.setAttribute('position', new THREE.BufferAttribute(corners, 3))
  return new THREE.Mesh(geometry, material)
}

function drawnLine(way_mm: number[][], normal: THREE.Vector3, ink: string): THREE.Line {
  const points = way_mm.map((p) => metres(p).addScaledVector(normal, BEFORE_FACE))
  const geometry = new THREE.BufferGeometry().setFromPoints(points)
  return new THREE.Line(geometry, new THREE.LineBasicMaterial({ color: ink }))
}
