/** Faces that can be seen or come to, and those that can't, tinted over the bodies. */
import * as THREE from 'three'

import type { Palette } from './look'

/** Corners of triangles, nine numbers each, mm. */
export interface Shaded {
  free: readonly number[]
  blocked: readonly number[]
}

export class Shade {
  readonly group = new THREE.Group()

  /** Tints triangles just over the bodies they are of; what is hidden by others stays hidden. */
  set(shaded: Shaded | null, palette: Palette) {
    this.clear()
    if (!shaded) return
    this.add(shaded.free, palette.accent)
    this.add(shaded.blocked, palette.broken)
  }

  private add(corners_mm: readonly number[], colour: string) {
    if (!corners_mm.length) return
    const points = Float32Array.from(corners_mm, (mm) => mm / 1e3)
    const geometry = new THREE.BufferGeometry()
    geometry.setAttribute('position', new THREE.BufferAttribute(points, 3))
    const material = new THREE.MeshBasicMaterial({
      color: colour,
      transparent: true,
      opacity: 0.55,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -2,
      polygonOffsetUnits: -4,
    })
    const mesh = new THREE.Mesh(geometry, material)
    mesh.renderOrder = 5
    this.group.add(mesh)
  }

  private clear() {
    for (const mesh of this.group.children as THREE.Mesh[]) {
      mesh.geometry.dispose()
      ;(mesh.material as THREE.Material).dispose()
    }
    this.group.clear()
  }
}
