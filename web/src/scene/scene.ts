/**
 * The picture: what stands on its stage, seen on panes. One canvas for all of them; it draws only
 * when something has changed.
 */
import type * as THREE from 'three'

import { type Camera, Cameras } from './cameras'
import type { Palette } from './look'
import { Pace } from './pace'
import { type Painted, Painter, type Painting, type PaneView, ROUGH } from './painter'
import { Refining } from './refining'
import type { Sight } from './sight'
import { Spots } from './spots'
import { type Furniture, Stage } from './stage'

export class Scene implements Painted {
  /** Frames drawn so far, the last one's draw calls and script time (ms): for tests of the bars. */
  frames = 0
  drawCalls = 0
  scriptMs = 0
  /** Whether it becomes fine when it rests, without a graphics card. */
  fine = true
  /** What is shown. */
  readonly stage: Stage
  /** What appears where on the panes, and what is under a pixel. */
  readonly spots: Spots
  private cameras = new Cameras()
  private painter: Painter
  private refining: Refining
  private waiting = false
  /** Something stands elsewhere, or is looked at from elsewhere, than on the picture before. */
  private moving = false
  private pace = new Pace()
  private pacing = false
  private asked = 0
  private size = { width: 1, height: 1 }
  private panes: PaneView[] = []
  private active = 0

  constructor(
    readonly canvas: HTMLCanvasElement,
    palette: Palette,
    private drawn: () => void,
  ) {
    this.painter = new Painter(canvas, this.cameras, this)
    this.refining = new Refining(
      this.painter,
      () => this.stage.drawShadows(this.painter.renderer),
      () => this.told(performance.now()),
    )
    this.stage = new Stage(palette, this.cameras, this.painter.software, (moved) => {
      this.moving ||= moved
      this.invalidate()
    })
    this.spots = new Spots(this.cameras, () => ({ panes: this.panes, ...this.stage.standing }))
  }

  /** Whether there is no graphics card: what moves is drawn roughly. */
  get software(): boolean {
    return this.painter.software
  }

  get scene(): THREE.Scene {
    return this.stage.scene
  }

  dispose() {
    cancelAnimationFrame(this.asked)
    this.refining.dispose()
    this.stage.dispose()
    this.painter.dispose()
  }

  resize(width: number, height: number) {
    this.size = { width, height }
    this.setRatio(this.software ? 1 : Math.min(2, devicePixelRatio), true)
    // Not a frame later: the canvas has just been emptied.
    this.render()
  }

  setPanes(panes: PaneView[], active: number) {
    const stays = (pane: PaneView, i: number) => pane.viewpoint === this.panes[i]?.viewpoint
    this.moving ||= !panes.every(stays)
    this.panes = panes
    this.active = active
    this.invalidate()
  }

  private invalidate() {
    if (this.waiting) return
    this.waiting = true
    this.refining.stop()
    this.asked = requestAnimationFrame(() => this.render())
  }

  private render() {
    // Drawn now: what was asked for the next frame is done with it.
    cancelAnimationFrame(this.asked)
    this.waiting = false
    const start = performance.now()
    const { renderer, software } = this.painter
    if (software) this.setRatio(this.moving && this.fine ? this.pace.ratio : 1)
    else if (this.stage.shadowsStale) renderer.shadowMap.needsUpdate = true
    if (!software) this.stage.shadowsStale = false
    renderer.info.reset()
    renderer.setScissorTest(true)
    const ratio = renderer.getPixelRatio()
    for (const pane of this.panes) {
      this.painter.aimAt(pane, this.size.height)
      const painting = { width: pane.width * ratio, height: pane.height * ratio }
      this.painter.paint(pane, { ...painting, pixels: software ? ROUGH : undefined })
    }
    renderer.setScissorTest(false)
    this.told(start)
    if (software && this.moving && !this.pacing) void this.keepPace(start)
    this.moving = false
    if (software && this.fine && this.stage.standing.bodies)
      this.refining.later(this.panes, this.size.width, this.size.height)
  }

  private async keepPace(start: number) {
    this.pacing = true
    await this.painter.drawn()
    this.pacing = false
    this.pace.took(performance.now() - start)
  }

  private told(start: number) {
    this.frames++
    this.drawCalls = this.painter.renderer.info.render.calls
    this.scriptMs = performance.now() - start
    this.drawn()
  }

  private setRatio(ratio: number, anyway = false) {
    const { renderer } = this.painter
    if (renderer.getPixelRatio() === ratio && !anyway) return
    renderer.setPixelRatio(ratio)
    renderer.setSize(this.size.width, this.size.height, false)
  }

  makeReady(pane: PaneView, camera: Camera, painting: Painting & { sight: Sight }) {
    const another = pane.index >= 0 && pane.index !== this.active
    const other = another ? this.spots.view(this.active) : undefined
    this.stage.makeReady(pane, camera, painting, { frames: this.spots.framesShown(), other })
  }

  /**
   * The picture of a view at a size of its own, in pixels: exact, or for a small one no more than a
   * pixel off.
   */
  snapshot(
    view: Pick<PaneView, 'viewpoint' | 'style' | 'colours'>,
    width: number,
    height: number,
    {
      furniture = this.stage.furniture,
      small = false,
    }: { furniture?: Furniture; small?: boolean } = {},
  ): HTMLCanvasElement {
    const before = this.stage.furniture
    const ratio = this.painter.renderer.getPixelRatio()
    this.stage.furniture = furniture
    if (this.software) this.stage.drawShadows(this.painter.renderer)
    const pixels = small && this.software ? ROUGH : undefined
    const pane = { ...view, index: -1, left: 0, top: 0, width, height }
    const picture = this.painter.snapshot(pane, pixels)
    this.stage.furniture = before
    this.setRatio(ratio, true)
    this.render()
    return picture
  }
}
