import * as THREE from 'three'

import type { Palette } from './look'

/** Lines each way from the middle of the grid. */
const REACH = 120
const PIECE = 5

/** The floor: a grid whose spacing suits the picture, and the soft shadow of what stands on it. */
export class Ground {
  readonly group = new THREE.Group()
  readonly sun = new THREE.DirectionalLight('#fff6e6', 1.9)
  private grid: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>
  private coarse: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>
  private plane: THREE.Mesh

  constructor() {
    // In short pieces: one long line through the near plane is lost to rounding on some machines.
    const lines: number[] = []
    for (let i = -REACH; i <= REACH; i++) {
      for (let j = -REACH; j < REACH; j += PIECE)
        lines.push(i, j, 0, i, j + PIECE, 0, j, i, 0, j + PIECE, i, 0)
    }
    const geometry = new THREE.BufferGeometry().setAttribute(
      'position',
      new THREE.Float32BufferAttribute(lines, 3),
    )
    this.grid = new THREE.LineSegments(geometry, fading(60))
    this.coarse = new THREE.LineSegments(geometry, fading(14))
    this.plane = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShadowMaterial({ opacity: 0.17, depthWrite: false }),
    )
    this.plane.receiveShadow = true
    for (const drawn of [this.grid, this.coarse, this.plane]) drawn.frustumCulled = false
    this.group.add(this.grid, this.coarse, this.plane)
    this.sun.castShadow = true
    this.sun.shadow.mapSize.set(2048, 2048)
    this.sun.shadow.radius = 5
    this.sun.shadow.bias = -0.0006
    this.sun.shadow.normalBias = 0.006
  }

  setPalette(palette: Palette) {
    this.grid.material.color.set(palette.grid)
    this.coarse.material.color.set(palette.gridCoarse)
  }

  /** Lays the floor under what is there (m). */
  setBounds(box: THREE.Box3) {
    const centre = box.getCenter(new THREE.Vector3())
    const size = Math.max(4, ...box.getSize(new THREE.Vector3()).toArray())
    this.plane.scale.setScalar(size * 2)
    this.plane.position.set(centre.x, centre.y, -0.001)
    this.sun.target.position.copy(centre)
    this.sun.position.copy(centre).add(new THREE.Vector3(-0.45, -0.75, 1.5).multiplyScalar(size))
    const half = size * 0.75
    Object.assign(this.sun.shadow.camera, {
      left: -half,
      right: half,
      top: half,
      bottom: -half,
      near: 0.1,
      far: size * 4,
    })
    this.sun.shadow.camera.updateProjectionMatrix()
  }

  /** Spacing and place of the grid for a picture `width` m wide at its pivot. */
  use(width: number, pivot: THREE.Vector3, show: { grid: boolean; shadow: boolean }) {
    const pitch = gridPitch(width)
    for (const [lines, step] of [
      [this.grid, pitch],
      [this.coarse, pitch * 10],
    ] as const) {
      lines.visible = show.grid
      lines.scale.setScalar(step)
      lines.position.set(Math.round(pivot.x / step) * step, Math.round(pivot.y / step) * step, 0)
    }
    this.plane.visible = show.shadow
  }
}

/** Lines that fade out at so many spacings from the middle, so that they never close to a band. */
function fading(reach: number): THREE.LineBasicMaterial {
  const material = new THREE.LineBasicMaterial({ depthWrite: false, transparent: true })
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace('#include <common>', '#include <common>\nvarying float vReach;')
      .replace(
        '#include <project_vertex>',
        `#include <project_vertex>\nvReach = length(position.xy) / ${reach.toFixed(1)};`,
      )
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying float vReach;')
      .replace(
        '#include <opaque_fragment>',
        'diffuseColor.a *= 1.0 - smoothstep(0.35, 1.0, vReach);\n#include <opaque_fragment>',
      )
  }
  material.customProgramCacheKey = () => `fading ${reach}`
  return material
}

/** A round spacing (m), some thirty lines across the picture. */
export function gridPitch(width: number): number {
  const rough = width / 24
  const decade = 10 ** Math.floor(Math.log10(rough))
  return decade * [1, 2, 5, 10].find((step) => step * decade >= rough)!
}
