import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { begin } from '../testing/standIn'
import { eye } from '../scene/navigation'
import { useStandpoint } from './standpointStore'
import { useWhere } from './whereStore'

const key = (code: string, more: object = {}) => ({ code, ...more }) as KeyboardEvent

describe('standing in the cell', () => {
  let frames: FrameRequestCallback[] = []
  let now = 0

  beforeEach(() => {
    freshStores()
    frames = []
    now = 0
    begin({
      'POST /api/cells/{id}/frame': ({ body }) => (body as { viewpoint: unknown }).viewpoint,
    })
    vi.stubGlobal('requestAnimationFrame', (f: FrameRequestCallback) => frames.push(f))
    vi.spyOn(performance, 'now').mockImplementation(() => now)
    vi.spyOn(useSettings(), 'still', 'get').mockReturnValue(true)
    // Ten metres by none: five seconds from end to end.
    const poses = [
      [-4, 0, 0],
      [6, 0, 0],
    ]
    useCell().cell = { id: 'c', document: { items: [] }, poses } as unknown as Cell
  })
  /** So many seconds pass, a frame every 50 ms. */
  function pass(seconds: number) {
    for (let t = 0; t < seconds - 1e-9; t += 0.05) {
      now += 50
      frames.splice(0).forEach((f) => f(now))
    }
  }

  it('stands at eye height where one clicked, level, with a lens that sees enough', () => {
    const [where, standpoint] = [useWhere(), useStandpoint()]
    standpoint.standAt([1000, -2000, 0])
    const [x, y, z] = eye(where.viewpoint)
    expect([x, y, z].map(Math.round)).toEqual([1000, -2000, 1600])
    expect(where.viewpoint).toMatchObject({ elevation_deg: 0, lens_mm: 24, bearing_deg: 30 })
    expect([standpoint.mode, standpoint.speed]).toEqual(['foot', 2000])
  })

  it('walks as long as a key is held, at its speed, and stays on its height', () => {
    const standpoint = useStandpoint()
    standpoint.standAt([0, 0, 0])
    const where = useWhere()
    where.move({ ...where.viewpoint, bearing_deg: 0 })
    const [x, y] = eye(where.viewpoint)
    expect(standpoint.key(key('KeyW'), true)).toBe(true)
    pass(1)
    standpoint.key(key('KeyW'), false)
    pass(1)
    const there = eye(where.viewpoint)
    expect(Math.hypot(there[0] - x, there[1] - y)).toBeCloseTo(2000, -2)
    expect(there[2]).toBeCloseTo(1600)
  })

  it('goes faster and slower within reason', () => {
    const standpoint = useStandpoint()
    standpoint.standAt([0, 0, 0])
    standpoint.faster(0.5)
    expect(standpoint.speed).toBe(1000)
    for (let n = 0; n < 40; n++) standpoint.faster(2)
    expect(standpoint.speed).toBe(50_000)
    for (let n = 0; n < 40; n++) standpoint.faster(0.5)
    expect(standpoint.speed).toBe(20)
  })

  it('takes its own keys only, and only while one stands', () => {
    const standpoint = useStandpoint()
    expect(standpoint.key(key('KeyW'), true)).toBe(false)
    standpoint.fly()
    expect(standpoint.mode).toBe('flight')
    expect(standpoint.key(key('KeyF'), true)).toBe(false)
    expect(standpoint.key(key('KeyW', { ctrlKey: true }), true)).toBe(false)
    expect(standpoint.key(key('KeyE'), true)).toBe(true)
  })

  it('rises in flight, and lets go of all keys at once', () => {
    const standpoint = useStandpoint()
    standpoint.fly()
    const before = standpoint.height
    standpoint.key(key('KeyE'), true)
    pass(0.5)
    expect(standpoint.height).toBeGreaterThan(before + 500)
    standpoint.release()
    const then = standpoint.height
    pass(0.5)
    expect(standpoint.height).toBe(then)
  })

  it('keeps the view when one leaves, with the pivot on what lies ahead', () => {
    const [where, standpoint] = [useWhere(), useStandpoint()]
    standpoint.standAt([0, 0, 0])
    const before = eye(where.viewpoint)
    standpoint.leave(3210)
    expect(standpoint.mode).toBeNull()
    expect(where.viewpoint.distance_mm).toBeCloseTo(3210)
    eye(where.viewpoint).forEach((x, i) => expect(x).toBeCloseTo(before[i]!))
    standpoint.leave(1)
    expect(where.viewpoint.distance_mm).toBeCloseTo(3210)
  })

  it('sets its height within reason', () => {
    const standpoint = useStandpoint()
    standpoint.standAt([0, 0, 0])
    standpoint.setHeight(1200)
    expect(standpoint.height).toBeCloseTo(1200)
    standpoint.setHeight(-5)
    expect(standpoint.height).toBeCloseTo(100)
  })

  it('puts a camera on the plan by two clicks, shown in another pane if there is one', () => {
    const [where, standpoint] = [useWhere(), useStandpoint()]
    where.setLayout('side')
    where.asking = 'camera-from'
    standpoint.planCamera([0, -3000, 0], 0)
    expect(where.asking).toBe('camera-to')
    standpoint.planCamera([0, 1000, 500], 0)
    expect([where.asking, standpoint.planned]).toEqual([null, null])
    const seen = where.panes[1]!.viewpoint
    const height = useSettings().looking.eyeHeight_mm
    expect(eye(seen).map(Math.round)).toEqual([0, -3000, height])
    expect([seen.bearing_deg, seen.elevation_deg]).toEqual([0, 0])
    expect(seen.distance_mm).toBeCloseTo(4000)
  })
})
