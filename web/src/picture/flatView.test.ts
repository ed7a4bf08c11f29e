import { describe, expect, it } from 'vitest'

import type { Drawing, Flat } from '../where/drawingStore'
import { axisName, boundsOf, cornerNear, fitted, nearer, pathOf, shifted, under } from './flatView'

const square: Flat[] = [
  [0, 0],
  [100, 0],
  [100, 50],
  [0, 50],
]
const drawing: Drawing = {
  origin_mm: [0, 0, 0],
  right: [1, 0, 0],
  up: [0, 0, 1],
  dimensions: [],
  items: [
    {
      item: 'plate',
      name: 'Plate',
      hatch: 0,
      area_mm2: 5000,
      perimeter_mm: 300,
      centroid_mm: [50, 25],
      box_mm: [
        [0, 0],
        [100, 50],
      ],
      outlines_mm: [square],
      open_mm: [],
    },
  ],
}
const paper = { width: 400, height: 300 }

describe('a flat drawing', () => {
  it('is fitted with room round it, its middle in the middle', () => {
    const view = fitted(drawing, paper)
    expect(under(view, paper, [200, 150])).toEqual([50, 25])
    for (const [x, y] of square) {
      const column = 200 + (x - view.middle[0]) / view.pixel
      const row = 150 - (y - view.middle[1]) / view.pixel
      expect(column > 10 && column < 390 && row > 10 && row < 290).toBe(true)
    }
    expect(boundsOf({ ...drawing, items: [] })).toBeNull()
    expect(fitted({ ...drawing, items: [] }, paper).pixel).toBeGreaterThan(0)
  })

  it('stays under the pointer as one comes nearer, and goes along as it is moved', () => {
    const view = fitted(drawing, paper)
    const at: Flat = [37, 211]
    const before = under(view, paper, at)
    const after = under(nearer(view, paper, at, 3), paper, at)
    expect(after[0]).toBeCloseTo(before[0], 9)
    expect(after[1]).toBeCloseTo(before[1], 9)
    const moved = under(shifted(view, 10, 5), paper, [47, 216])
    expect(moved[0]).toBeCloseTo(before[0], 9)
    expect(moved[1]).toBeCloseTo(before[1], 9)
  })

  it('gives corners and centroids to a pointer that is near', () => {
    expect(cornerNear(drawing, [98, 3], 5)).toEqual([100, 0])
    expect(cornerNear(drawing, [51, 24], 5)).toEqual([50, 25])
    expect(cornerNear(drawing, [80, 25], 5)).toBeNull()
  })

  it('becomes a path, and says which of the axes go along', () => {
    expect(pathOf([square], true)).toBe('M0 0L100 0L100 -50L0 -50Z')
    expect(pathOf([square.slice(0, 2)], false)).toBe('M0 0L100 0')
    expect([axisName([0, 0, -1]), axisName([0.6, 0.8, 0])]).toEqual(['−Z', ''])
  })
})
