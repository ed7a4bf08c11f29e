/** Paints panes with the graphics card, or what stands in for one. */
import * as THREE from 'three'

import type { Colours, Style, Viewpoint } from '../api/client'
import type { Camera, Cameras } from './cameras'
import { Sight } from './sight'

/** A view on a rectangle of the canvas. */
export interface PaneView {
  /** By which it is asked for; negative for one that is not on the page. */
  index: number
  viewpoint: Viewpoint
  style: Style
  colours: Colours
  /** Pixels of the page, from the upper left corner of the canvas. */
  left: number
  top: number
  width: number
  height: number
}

/** What is painted, made ready for a pane: `pixels` as `Drawing` has it. */
export interface Painted {
  readonly scene: THREE.Scene
  makeReady(pane: PaneView, camera: Camera, drawing: Painting & { sight: Sight }): void
}

/** How a pane is painted. */
export interface Painting {
  /** So many pixels large. */
  width: number
  height: number
  /** How many pixels off it may be; exactly and all there is, if not given. */
  pixels?: number
  /** Only a part of it, in pixels from the upper left corner: of the rest nothing is drawn. */
  part?: { top: number; height: number }
}

/** What is drawn roughly, where there is no graphics card, is off by so many pixels at most. */
export const ROUGH = 1
/** Farthest over nearest that one depth buffer of 24 bits tells apart well. */
const DEEPEST = 2e5
const LARGEST_TILE = 2048
/** How often it is asked whether all is drawn. */
const ASKED_EACH_MS = 6

export class Painter {
  readonly renderer: THREE.WebGLRenderer
  /** There is no graphics card: what moves is drawn roughly. */
  readonly software = drawsInSoftware()

  constructor(
    readonly canvas: HTMLCanvasElement,
    private cameras: Cameras,
    private painted: Painted,
  ) {
    this.renderer = new THREE.WebGLRenderer({
      canvas,
      antialias: !this.software,
      stencil: true,
      preserveDrawingBuffer: true,
    })
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = THREE.PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    this.renderer.localClippingEnabled = true
    this.renderer.info.autoReset = false
  }

  /** Paints where the viewport is. */
  paint(pane: PaneView, painting: Painting) {
    const camera = this.cameras.drawing(pane)
    camera.updateProjectionMatrix()
    const sight = this.sightOf(camera, painting)
    this.painted.makeReady(pane, camera, { ...painting, sight })
    if (camera !== this.cameras.perspective || camera.far / camera.near <= DEEPEST) {
      this.renderer.render(this.painted.scene, camera)
      return
    }
    this.paintInHalves(camera)
  }

  private sightOf(camera: Camera, { width, height, part }: Painting): Sight {
    if (!part) return new Sight(camera, width)
    const only = camera.clone()
    only.setViewOffset(width, height, 0, part.top, width, part.height)
    return new Sight(only, width)
  }

  /**
   * Something is close to the eye and something far off: the far half first, then the near one over
   * it.
   */
  private paintInHalves(camera: THREE.PerspectiveCamera) {
    const { near, far } = camera
    const { scene } = this.painted
    const middle = Math.sqrt(near * far)
    const background = scene.background
    const halves = [
      [middle, far],
      [near, middle],
    ] as const
    for (const [from, to] of halves) {
      camera.near = from
      camera.far = to
      camera.updateProjectionMatrix()
      this.renderer.render(scene, camera)
      this.renderer.autoClear = false
      this.renderer.clearDepth()
      scene.background = null
    }
    this.renderer.autoClear = true
    scene.background = background
  }

  /** Aims at a pane of the canvas. */
  aimAt(pane: PaneView, canvasHeight: number) {
    const y = canvasHeight - pane.top - pane.height
    this.renderer.setViewport(pane.left, y, pane.width, pane.height)
    this.renderer.setScissor(pane.left, y, pane.width, pane.height)
  }

  /**
   * The picture of a view at a size of its own, in pixels; tiles where the graphics card needs
   * them. The canvas is left as it comes.
   */
  snapshot(pane: PaneView, pixels?: number): HTMLCanvasElement {
    const { width, height } = pane
    const picture = document.createElement('canvas')
    Object.assign(picture, { width, height })
    const paint = picture.getContext('2d')!
    const tile = Math.min(LARGEST_TILE, this.renderer.capabilities.maxTextureSize)
    this.renderer.setPixelRatio(1)
    for (let top = 0; top < height; top += tile) {
      for (let left = 0; left < width; left += tile) {
        const [w, h] = [Math.min(tile, width - left), Math.min(tile, height - top)]
        this.renderer.setSize(w, h, false)
        this.renderer.setViewport(0, 0, w, h)
        for (const camera of [this.cameras.perspective, this.cameras.parallel])
          camera.setViewOffset(width, height, left, top, w, h)
        this.paint(pane, { width: w, height: h, pixels })
        paint.drawImage(this.canvas, left, top)
      }
    }
    this.cameras.perspective.clearViewOffset()
    this.cameras.parallel.clearViewOffset()
    return picture
  }

  /** Until all that was asked for is drawn. */
  drawn(): Promise<void> {
    const gl = this.renderer.getContext() as WebGL2RenderingContext
    const sync = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)
    gl.flush()
    return new Promise((done) => {
      const ask = () => {
        if (sync && gl.clientWaitSync(sync, 0, 0) === gl.TIMEOUT_EXPIRED)
          return void setTimeout(ask, ASKED_EACH_MS)
        gl.deleteSync(sync)
        done()
      }
      setTimeout(ask, 0)
    })
  }

  dispose() {
    this.renderer.dispose()
  }
}

function drawsInSoftware(): boolean {
  const gl = document.createElement('canvas').getContext('webgl2')
  const info = gl?.getExtension('WEBGL_debug_renderer_info')
  const name = info ? String(gl!.getParameter(info.UNMASKED_RENDERER_WEBGL)) : ''
  gl?.getExtension('WEBGL_lose_context')?.loseContext()
  return /swiftshader|llvmpipe|software|basic render/i.test(name)
}
