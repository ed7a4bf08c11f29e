import { computed, type Ref } from 'vue'

import { useWhere } from '../where/whereStore'

/** A pane's rectangle of the picture, pixels. */
export interface Rect {
  index: number
  left: number
  top: number
  width: number
  height: number
}

/** Where the panes that are shown stand in a picture so large. */
export function usePaneRects(size: { width: Ref<number>; height: Ref<number> }) {
  const where = useWhere()
  return computed<Rect[]>(() => {
    const [w, h] = [Math.round(size.width.value), Math.round(size.height.value)]
    const shown = where.shownPanes
    const columns = shown.length === 4 || (shown.length === 2 && where.layout === 'side') ? 2 : 1
    const rows = Math.ceil(shown.length / columns)
    const line = shown.length > 1 ? 1 : 0
    return shown.map((index, i) => {
      const [column, row] = [i % columns, Math.floor(i / columns)]
      const [x0, x1] = [
        Math.round((w * column) / columns),
        Math.round((w * (column + 1)) / columns),
      ]
      const [y0, y1] = [Math.round((h * row) / rows), Math.round((h * (row + 1)) / rows)]
      return {
        index,
        left: x0,
        top: y0,
        width: Math.max(1, x1 - x0 - line),
        height: Math.max(1, y1 - y0 - line),
      }
    })
  })
}
