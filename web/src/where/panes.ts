/** Parts of the picture, and how they are laid out. */
import type { Colours, Style, Viewpoint } from '../api/client'

export const START: Viewpoint = {
  pivot_mm: [0, 0, 500],
  bearing_deg: 30,
  elevation_deg: 25,
  roll_deg: 0,
  distance_mm: 5000,
  projection: 'perspective',
  lens_mm: 35,
  width_mm: 5000,
}

export type Layout = 'one' | 'side' | 'stacked' | 'four'
export const layouts: Record<Layout, { name: string; panes: number }> = {
  one: { name: 'One pane', panes: 1 },
  side: { name: 'Two side by side', panes: 2 },
  stacked: { name: 'Two stacked', panes: 2 },
  four: { name: 'Four panes', panes: 4 },
}

/** A part of the picture with a viewpoint of its own. */
export interface Pane {
  viewpoint: Viewpoint
  style: Style
  colours: Colours
  aspect: number
  back: Viewpoint[]
  forward: Viewpoint[]
}

export const styleNames: Record<Style, string> = {
  shaded_edges: 'Shaded with edges',
  shaded: 'Shaded',
  hidden_dashed: 'Hidden edges dashed',
  hidden_removed: 'Hidden edges removed',
  wireframe: 'Wireframe',
}
