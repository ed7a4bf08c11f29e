/** The arithmetic of looking at a flat drawing: what lies where on its paper. */
import type { Drawing, Flat } from '../where/drawingStore'

/** What is seen of a drawing: its middle (mm), and how many mm a pixel is. */
export interface FlatView {
  middle: Flat
  pixel: number
}
export interface Paper {
  width: number
  height: number
}

/** Free paper round what is fitted. */
const MARGIN = 1.16

/** The box round all that is drawn, mm; null where nothing is. */
export function boundsOf(drawing: Drawing): { low: Flat; high: Flat } | null {
  if (!drawing.items.length) return null
  const lows = drawing.items.map((i) => i.box_mm[0]!)
  const highs = drawing.items.map((i) => i.box_mm[1]!)
  const least = (axis: number) => Math.min(...lows.map((p) => p[axis]!))
  const most = (axis: number) => Math.max(...highs.map((p) => p[axis]!))
  return { low: [least(0), least(1)], high: [most(0), most(1)] }
}

/** All of a drawing on a paper. */
export function fitted(drawing: Drawing, paper: Paper): FlatView {
  const bounds = boundsOf(drawing) ?? { low: [-500, -500] as Flat, high: [500, 500] as Flat }
  const { low, high } = bounds
  const wide = Math.max(high[0] - low[0], 1e-3)
  const tall = Math.max(high[1] - low[1], 1e-3)
  return {
    middle: [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2],
    pixel: Math.max(wide / paper.width, tall / paper.height) * MARGIN,
  }
}

/** Where a pixel lies in the drawing, mm; Y goes up there. */
export const under = (view: FlatView, paper: Paper, [x, y]: Flat): Flat => [
  view.middle[0] + (x - paper.width / 2) * view.pixel,
  view.middle[1] - (y - paper.height / 2) * view.pixel,
]

/** Comes nearer by a factor; what is under a pixel stays there. */
export function nearer(view: FlatView, paper: Paper, at: Flat, factor: number): FlatView {
  const fixed = under(view, paper, at)
  const pixel = Math.min(1e3, Math.max(1e-5, view.pixel / factor))
  const share = pixel / view.pixel
  const middle: Flat = [
    fixed[0] + (view.middle[0] - fixed[0]) * share,
    fixed[1] + (view.middle[1] - fixed[1]) * share,
  ]
  return { middle, pixel }
}

/** Moves the paper by so many pixels. */
export const shifted = (view: FlatView, dx: number, dy: number): FlatView => ({
  ...view,
  middle: [view.middle[0] - dx * view.pixel, view.middle[1] + dy * view.pixel],
})

/** The corner or centroid nearest to a point, if it is within so many mm. */
export function cornerNear(drawing: Drawing, [x, y]: Flat, within: number): Flat | null {
  let best: Flat | null = null
  let least = within
  const look = (p: readonly number[]) => {
    const off = Math.hypot(p[0]! - x, p[1]! - y)
    if (off < least) [least, best] = [off, [p[0]!, p[1]!]]
  }
  for (const item of drawing.items) {
    for (const line of [...item.outlines_mm, ...item.open_mm]) line.forEach(look)
    if (item.centroid_mm) look(item.centroid_mm)
  }
  return best
}

/** Outlines as an SVG path; Y goes down there. */
export function pathOf(lines: readonly (readonly number[])[][], closed: boolean): string {
  const line = (points: readonly (readonly number[])[]) =>
    points.map((p, i) => `${i ? 'L' : 'M'}${p[0]} ${-p[1]!}`).join('') + (closed ? 'Z' : '')
  return lines.map(line).join('')
}

/** The world's axis that a direction runs along, with its sign; nothing for any other. */
export function axisName(direction: readonly number[]): string {
  const at = direction.findIndex((x) => Math.abs(Math.abs(x) - 1) < 1e-9)
  if (at < 0) return ''
  return `${direction[at]! < 0 ? '−' : ''}${'XYZ'[at]}`
}
