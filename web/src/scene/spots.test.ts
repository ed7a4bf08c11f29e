import { Plane, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import type { Vec3 } from '../api/client'
import { boxMesh } from '../testing/drawnMesh'
import { fromFront } from '../testing/viewpoints'
import type { Bodies } from './bodies'
import { Cameras } from './cameras'
import { matrixOf } from './poses'
import type { SceneFrame } from './marks'
import type { PaneView } from './painter'
import { Cutaway } from './cutaway'
import { Spots, type Standing } from './spots'

/** Two boxes, the second a metre behind the first, and a frame beside them; one pane. */
function scene(by: Partial<Standing> = {}) {
  const places = [
    [0, 0, 0, 0, 0, 0, 1],
    [0, 2, 0, 0, 0, 0, 1],
  ]
  const mesh = boxMesh(1, 1, 1)
  const bodies = {
    bodies: [
      { item: 'front', node: 0, mesh },
      { item: 'back', node: 1, mesh },
    ],
    nodes: places.map((place) => ({ matrix: matrixOf(place), matrixWorldNeedsUpdate: false })),
  } as unknown as Bodies
  const frame: SceneFrame = { item: 'tcp', kind: 'tcp', node: null, pose: [1.5, 0, 0, 0, 0, 0, 1] }
  const pane = { index: 0, viewpoint: fromFront, left: 0, top: 0, width: 800, height: 600 }
  const panes: PaneView[] = [{ ...pane, style: 'shaded', colours: 'role' }]
  const now: Standing = {
    bodies,
    visible: new Set(['front', 'back', 'tcp']),
    ghosts: new Set(),
    cutaway: new Cutaway(),
    cutFaces: () => [],
    frames: [frame],
    ...by,
  }
  return new Spots(new Cameras(), () => ({ panes, ...now }))
}
const names = (hits: { item: string }[]) => hits.map((hit) => hit.item)
const MIDDLE = [400, 300] as const

describe('what is under a pixel', () => {
  it('is all that is shown there, nearest first', () => {
    const spots = scene()
    expect(names(spots.pickAll(0, ...MIDDLE))).toEqual(['front', 'back'])
    expect(spots.pick(0, ...MIDDLE)!.at[1]).toBeCloseTo(-500, 3)
    expect(spots.middle(0)!.item).toBe('front')
  })

  it('is a cut face where that is nearer, and nothing of its item behind it', () => {
    const cut = (item: string, y: number) => ({ item, at: [0, y, 0] as Vec3, cut: true })
    const hits = scene({ cutFaces: () => [cut('back', -700), cut('gone', -900)] })
    const found = hits.pickAll(0, ...MIDDLE)
    expect(names(found)).toEqual(['back', 'front'])
    expect([found[0]!.cut, found[1]!.cut]).toEqual([true, undefined])
  })

  it('is nothing on a pane that is not there, or beside all bodies', () => {
    expect(scene().pickAll(3, ...MIDDLE)).toEqual([])
    expect(scene().pick(0, 20, 20)).toBeNull()
  })

  it('leaves out what is hidden, and finds ghosts when asked', () => {
    const hidden = { visible: new Set(['back']), ghosts: new Set(['front']) }
    expect(names(scene(hidden).pickAll(0, ...MIDDLE))).toEqual(['back'])
    expect(names(scene(hidden).pickAll(0, ...MIDDLE, true))).toEqual(['front', 'back'])
  })

  it('leaves out what is cut away: the cut face of what is left is not a wall', () => {
    const cutaway = new Cutaway([[new Plane(new Vector3(0, 1, 0), -1)]])
    expect(names(scene({ cutaway }).pickAll(0, ...MIDDLE))).toEqual(['back'])
  })

  it('is a marked frame before all else, if it is near enough and not cut away', () => {
    const spots = scene()
    const [x, y] = spots.project(0, [1500, 0, 0])!
    expect(spots.pick(0, x + 4, y)!.item).toBe('tcp')
    expect(spots.pick(0, x + 12, y)).toBeNull()
    const cutaway = new Cutaway([[new Plane(new Vector3(-1, 0, 0), 1)]])
    expect(scene({ cutaway }).framesShown()).toEqual([])
    expect(scene({ cutaway }).pick(0, x, y)).toBeNull()
  })

  it('takes the corner of a face that is near the pointer', () => {
    const spots = scene()
    const corner = spots.project(0, [500, -500, 500])!
    const hit = spots.pick(0, corner[0] - 3, corner[1] + 3)!
    const taken = spots.cornerNear(0, hit, [corner[0] - 3, corner[1] + 3])
    expect(taken.map((x) => Math.round(x))).toEqual([500, -500, 500])
    const middle = spots.pick(0, ...MIDDLE)!
    expect(spots.cornerNear(0, middle, [...MIDDLE])).toEqual(middle.at)
  })
})

describe('what a rectangle takes', () => {
  it('is what lies wholly inside, frames too', () => {
    const spots = scene()
    expect(spots.within(0, [0, 0], [800, 600], false).sort()).toEqual(['back', 'front', 'tcp'])
    const [x, y] = spots.project(0, [1500, 0, 0])!
    expect(spots.within(0, [x - 9, y - 9], [x + 9, y + 9], false)).toEqual(['tcp'])
  })

  it('or what it touches', () => {
    const spots = scene()
    expect(spots.within(0, [390, 290], [410, 310], false)).toEqual([])
    expect(spots.within(0, [390, 290], [410, 310], true).sort()).toEqual(['back', 'front'])
  })
})
