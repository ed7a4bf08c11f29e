/** Materials that know what is shown of each item: one draw for many bodies. */
import * as THREE from 'three'

import type { Style } from '../api/client'
import type { Cutaway } from './cutaway'
import {
  cornerLitFaces,
  edgeLines,
  ghostFaces,
  haloFaces,
  litFaces,
  paperFaces,
  shadowDepth,
  stencilFaces,
  type Uniforms,
} from './shaders'

/** How strong the ink of lines is. */
const [ON_FACES, OUTLINE, HIDDEN] = [0.72, 0.9, 0.36]

/** The materials of all bodies of a cell. */
export class Materials {
  readonly lit: THREE.Material
  readonly ghost: THREE.Material
  readonly depth: THREE.Material
  /** In this order: where what is selected is, and the line round it. */
  readonly selected: THREE.ShaderMaterial
  readonly halo: THREE.ShaderMaterial
  readonly edges: THREE.ShaderMaterial
  readonly behind: THREE.ShaderMaterial
  readonly contours: THREE.ShaderMaterial
  readonly contoursBehind: THREE.ShaderMaterial
  private paper: THREE.Material
  private uniforms: Uniforms

  /** Lit at their corners only, where there is no graphics card to do it for each pixel. */
  constructor(states: THREE.DataTexture, software: boolean) {
    this.uniforms = {
      states: { value: states },
      paper: { value: new THREE.Color() },
      plum: { value: new THREE.Color() },
      inkLine: { value: new THREE.Color() },
      plumLine: { value: new THREE.Color() },
      plumLines: { value: false },
      halfSize: { value: new THREE.Vector2(500, 500) },
      ahead: { value: 0 },
    }
    this.lit = software ? cornerLitFaces(this.uniforms, true) : litFaces(this.uniforms)
    this.paper = software ? cornerLitFaces(this.uniforms, false) : paperFaces(this.uniforms)
    this.ghost = ghostFaces(this.uniforms)
    this.depth = shadowDepth(this.uniforms)
    this.selected = stencilFaces(this.uniforms)
    this.halo = haloFaces(this.uniforms)
    this.edges = edgeLines(this.uniforms, false)
    this.behind = edgeLines(this.uniforms, true)
    this.contours = edgeLines(this.uniforms, false)
    this.contoursBehind = edgeLines(this.uniforms, true)
  }

  setInk(paper: string, ink: string, plum: string) {
    this.uniforms.paper.value.set(paper)
    this.uniforms.plum.value.set(plum)
    this.uniforms.inkLine.value.set(ink).convertLinearToSRGB()
    this.uniforms.plumLine.value.set(plum).convertLinearToSRGB()
  }

  set ahead(share: number) {
    this.uniforms.ahead.value = share
  }

  /**
   * For a style on a picture so many pixels large, its lines so strong: 1 or less where they come
   * out wider.
   */
  use(style: Style, width: number, height: number, strength: number, cutaway: Cutaway) {
    const faint = strength * HIDDEN
    for (const lines of [this.behind, this.contoursBehind]) lines.uniforms.strength!.value = faint
    this.contours.uniforms.strength!.value = strength * OUTLINE
    this.edges.uniforms.strength!.value = strength * (style === 'shaded_edges' ? ON_FACES : OUTLINE)
    this.uniforms.plumLines.value = style !== 'shaded_edges'
    this.uniforms.halfSize.value.set(width / 2, height / 2)
    const { planes, test } = cutaway
    for (const material of this.all()) {
      material.clippingPlanes = planes
      if (material.defines?.CUT_TEST === test) continue
      material.defines = { ...material.defines, CUT_TEST: test }
      material.needsUpdate = true
    }
  }

  /** With what faces are filled in a style, if they are. */
  facesIn(style: Style): THREE.Material | null {
    if (style === 'wireframe') return null
    return style === 'hidden_dashed' || style === 'hidden_removed' ? this.paper : this.lit
  }

  dispose() {
    for (const material of this.all()) material.dispose()
  }

  private all() {
    const faces = [this.lit, this.paper, this.ghost, this.depth, this.selected, this.halo]
    return [...faces, this.edges, this.behind, this.contours, this.contoursBehind]
  }
}
