import { Matrix4, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import type { Section } from '../api/client'
import { Cutaway, piecesOf } from './cutaway'

const AT_HOME = new Matrix4()
const level = (z: number): Section => ({ point_mm: [0, 0, z], normal: [0, 0, 2] })
const cut = (sections: Section[], uncut: string[] = [], frame = AT_HOME) =>
  new Cutaway(
    sections.flatMap((s) => piecesOf(s, frame)),
    new Set(uncut),
  )
const corner: Section = {
  ...level(0),
  shape: { corner: { others: [[1, 0, 0]] } },
}
const slab: Section = { ...level(100), shape: { slab: { thickness_mm: 40 } } }

/** Whether points along the vertical through x = 0.1 are kept. */
const kept = (cutaway: Cutaway, ...heights: number[]) =>
  heights.map((z) => cutaway.keeps(new Vector3(0.1, 0, z)))

describe('what sections leave', () => {
  it('is told piece by piece, and in cells that make the whole', () => {
    expect(kept(cut([level(50)]), -0.02, 0.08)).toEqual([true, false])
    expect(kept(cut([slab]), 0.05, 0.08, 0.12)).toEqual([false, true, false])
    expect(kept(cut([corner]), -0.02, 0.08)).toEqual([true, false])
    expect(cut([corner]).keeps(new Vector3(-0.1, 0, 0.08))).toBe(true)
    const both = cut([corner, level(300)])
    for (const z of [-0.1, 0.1, 0.4])
      for (const x of [-0.1, 0.1]) {
        const at = new Vector3(x, 0.3, z)
        const cells = both.left('a').filter((c) => c.every((p) => p.distanceToPoint(at) >= 0))
        expect(cells.length).toBe(both.keeps(at) ? 1 : 0)
      }
  })

  it('is all of what is not to be cut', () => {
    const cutaway = cut([level(0)], ['pin'])
    const above = new Vector3(0, 0, 1)
    expect([cutaway.keeps(above, 'pin'), cutaway.keeps(above, 'plate')]).toEqual([true, false])
    expect([cutaway.left('pin'), cutaway.left('plate').length]).toEqual([[[]], 1])
  })

  it('moves with the frame the section is fixed to', () => {
    const raised = new Matrix4().makeTranslation(0, 0, 0.5)
    expect(kept(cut([level(0)], [], raised), 0.4, 0.6)).toEqual([true, false])
    const turned = new Matrix4().makeRotationY(Math.PI / 2)
    expect(kept(cut([level(0)], [], turned), 0.4)).toEqual([false])
  })

  it('is tested by the planes in their order', () => {
    expect(cut([slab, corner]).test).toBe('(BEFORE(0)) || (BEFORE(1)) || (BEFORE(2) && BEFORE(3))')
    expect(cut([slab, corner]).planes.length).toBe(4)
  })
})
