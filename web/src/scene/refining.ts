/**
 * Without a graphics card a picture that rests becomes fine: it is painted with four times the
 * pixels, aside and in strips, and shown when it is done. Between two strips the hand is heard.
 */
import * as THREE from 'three'

import type { Painter, PaneView } from './painter'

const RESTS_AFTER_MS = 500
/** Pixels of the canvas for one of the page, each way. */
export const FINE = 2
const STRIPS = 8

export class Refining {
  private timer = 0
  private run = 0
  private target?: THREE.WebGLRenderTarget
  private shown: THREE.Mesh<THREE.PlaneGeometry, THREE.RawShaderMaterial>
  private scene = new THREE.Scene()
  private camera = new THREE.OrthographicCamera()

  constructor(
    private painter: Painter,
    /** Before the first strip. */
    private begin: () => void,
    private finished: () => void,
  ) {
    this.shown = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), asItIs())
    this.shown.frustumCulled = false
    this.scene.add(this.shown)
  }

  /** Begins when nothing has asked for this again for a while. */
  later(panes: PaneView[], width: number, height: number) {
    this.stop()
    this.timer = window.setTimeout(() => void this.refine(panes, width, height), RESTS_AFTER_MS)
  }

  stop() {
    clearTimeout(this.timer)
    this.run++
  }

  dispose() {
    this.stop()
    this.target?.dispose()
    this.shown.geometry.dispose()
    this.shown.material.dispose()
  }

  private async refine(panes: PaneView[], width: number, height: number) {
    const run = ++this.run
    this.begin()
    await this.painter.drawn()
    for (const strip of stripsOf(panes)) {
      if (run !== this.run) return
      this.paint(strip.pane, strip.top, strip.height, width, height)
      await this.painter.drawn()
    }
    if (run !== this.run) return
    this.show(width, height)
    this.finished()
  }

  private paint(pane: PaneView, top: number, stripHeight: number, width: number, height: number) {
    const { renderer } = this.painter
    const target = this.targetOf(width * FINE, height * FINE)
    const bottom = height - pane.top - pane.height
    const under = pane.height - top - stripHeight
    const [x, w] = [pane.left * FINE, pane.width * FINE]
    target.viewport.set(x, bottom * FINE, w, pane.height * FINE)
    target.scissor.set(x, (bottom + under) * FINE, w, stripHeight * FINE)
    target.scissorTest = true
    renderer.setRenderTarget(target)
    this.painter.paint(pane, {
      width: w,
      height: pane.height * FINE,
      pixels: 0,
      part: { top: top * FINE, height: stripHeight * FINE },
    })
    renderer.setRenderTarget(null)
  }

  /** Puts what was painted on the canvas. */
  private show(width: number, height: number) {
    const { renderer } = this.painter
    renderer.setPixelRatio(FINE)
    renderer.setSize(width, height, false)
    renderer.setScissorTest(false)
    renderer.setViewport(0, 0, width, height)
    renderer.render(this.scene, this.camera)
  }

  private targetOf(width: number, height: number): THREE.WebGLRenderTarget {
    if (this.target?.width !== width || this.target.height !== height) {
      this.target?.dispose()
      const target = new THREE.WebGLRenderTarget(width, height, {
        colorSpace: THREE.SRGBColorSpace,
        stencilBuffer: true,
      })
      target.texture.internalFormat = 'RGBA8'
      // Colours are written as on the canvas, and blended as there: three.js has this for headsets.
      this.target = Object.assign(target, { isXRRenderTarget: true })
      this.shown.material.uniforms.picture!.value = target.texture
    }
    return this.target
  }
}

/** Strips of panes, from above. */
function* stripsOf(panes: PaneView[]) {
  for (const pane of panes) {
    const each = Math.ceil(pane.height / STRIPS)
    for (let top = 0; top < pane.height; top += each)
      yield { pane, top, height: Math.min(each, pane.height - top) }
  }
}

function asItIs(): THREE.RawShaderMaterial {
  return new THREE.RawShaderMaterial({
    glslVersion: THREE.GLSL3,
    depthTest: false,
    depthWrite: false,
    uniforms: { picture: { value: null } },
    vertexShader: `
      in vec3 position;
      out vec2 at;
      void main() {
        at = position.xy * 0.5 + 0.5;
        gl_Position = vec4(position.xy, 0.0, 1.0);
      }`,
    fragmentShader: `
      precision highp float;
      uniform sampler2D picture;
      in vec2 at;
      out vec4 colour;
      void main() {
        colour = vec4(texture(picture, at).rgb, 1.0);
      }`,
  })
}
