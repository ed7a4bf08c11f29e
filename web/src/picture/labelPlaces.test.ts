import { describe, expect, it } from 'vitest'

import { labelPlaces, type Box } from './labelPlaces'

const pane = { width: 600, height: 400 }
const apart = (a: Box, b: Box) =>
  a.left >= b.left + b.width ||
  b.left >= a.left + a.width ||
  a.top >= b.top + b.height ||
  b.top >= a.top + a.height

describe('labels', () => {
  it('stand apart, though they are about the same place, and leave it free', () => {
    const label = { at: [300, 200] as const, width: 90, height: 24 }
    const places = labelPlaces([label, label, label, label], [[300, 200]], pane)
    places.forEach((a, i) => places.slice(i + 1).forEach((b) => expect(apart(a, b)).toBe(true)))
    const spot = { left: 299, top: 199, width: 2, height: 2 }
    expect(places.every((p) => apart(p, spot))).toBe(true)
  })

  it('stay inside the pane, in its corners too', () => {
    for (const at of [
      [2, 2],
      [598, 2],
      [2, 398],
      [598, 398],
    ] as const) {
      const [place] = labelPlaces([{ at, width: 120, height: 30 }], [at], pane)
      expect(place!.left).toBeGreaterThanOrEqual(0)
      expect(place!.top).toBeGreaterThanOrEqual(0)
      expect(place!.left + place!.width).toBeLessThanOrEqual(600)
      expect(place!.top + place!.height).toBeLessThanOrEqual(400)
    }
  })

  it('stand where a hand has put them', () => {
    const moved = [-50, 80] as const
    const [place] = labelPlaces([{ at: [300, 200], width: 100, height: 20, moved }], [], pane)
    expect(place).toEqual({ left: 200, top: 270, width: 100, height: 20 })
  })
})
