import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell, Viewpoint } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { asked, begin, Refusal, settled } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { START } from './panes'
import { useWhere } from './whereStore'

const STANDARD = [
  { id: 'front', name: 'Front', bearing_deg: 0, elevation_deg: 0 },
  { id: 'right', name: 'Right', bearing_deg: 90, elevation_deg: 0 },
  { id: 'top', name: 'Top', bearing_deg: 0, elevation_deg: 90 },
]

/** What the core would frame: the same direction, a pivot of its own. */
const framed = (from: Viewpoint): Viewpoint => ({ ...from, pivot_mm: [1, 2, 3], distance_mm: 900 })

describe('from where one looks', () => {
  beforeEach(() => {
    freshStores()
    const items = ['table', 'clamp', 'post'].map((id) => ({
      id,
      name: id,
      parent: id === 'clamp' ? 'table' : undefined,
    }))
    const bodies = items.map(({ id }, node) => ({ item: id, node, mesh: id }))
    useCell().cell = { id: 'c', document: { items }, bodies } as unknown as Cell
    const frame = ({ body }: { body?: unknown }) =>
      framed((body as { viewpoint: Viewpoint }).viewpoint)
    begin({
      'POST /api/cells/{id}/frame': frame,
      'POST /api/frame-points': frame,
      'GET /api/standard-views': () => STANDARD,
    })
    // Nothing flies here: every way is gone at once.
    vi.spyOn(useSettings(), 'still', 'get').mockReturnValue(true)
  })

  it('goes back and forward through the views one left, many steps deep', () => {
    const where = useWhere()
    for (let n = 1; n <= 200; n++) where.goTo({ ...START, bearing_deg: n % 180, distance_mm: n })
    expect(where.back.length).toBe(120)
    where.goBack()
    where.goBack()
    expect(where.viewpoint.distance_mm).toBe(198)
    where.goForward()
    expect(where.viewpoint.distance_mm).toBe(199)
    // Going somewhere new forgets what lay ahead.
    where.goTo({ ...START, distance_mm: 1 })
    expect(where.forward).toEqual([])
    for (let n = 0; n < 300; n++) where.goBack()
    expect(where.back).toEqual([])
  })

  it('keeps the same view once, however often it is left', () => {
    const where = useWhere()
    where.remember()
    where.remember()
    expect(where.back.length).toBe(1)
  })

  it.each([
    ['to the right from between notches', 30, 1, 0, [45, 25]],
    ['to the right from a notch', 45, 1, 0, [90, 25]],
    ['to the left from between notches', 30, -1, 0, [0, 25]],
    ['to the left from a notch', 0, -1, 0, [-45, 25]],
    ['upwards', 30, 0, 1, [30, 30]],
    ['downwards', 30, 0, -1, [30, 15]],
  ] as const)('steps %s', (_, bearing_deg, right, up, [b, e]) => {
    const where = useWhere()
    where.move({ ...START, bearing_deg })
    where.step(right, up)
    expect([where.viewpoint.bearing_deg, where.viewpoint.elevation_deg]).toEqual([b, e])
  })

  it('steps no higher than straight above, and goes round', () => {
    const where = useWhere()
    for (let n = 0; n < 9; n++) where.step(0, 1)
    expect(where.viewpoint.elevation_deg).toBe(90)
    for (let n = 0; n < 9; n++) where.step(1, 0)
    expect(where.viewpoint.bearing_deg).toBe(45)
    where.opposite()
    expect([where.viewpoint.bearing_deg, where.viewpoint.elevation_deg]).toEqual([-135, -90])
  })

  it('fits what is selected with what hangs on it, or else all that is shown', async () => {
    const where = useWhere()
    await where.fitAll()
    useWhat().select('table')
    await where.fitSelection()
    useWhat().hide(['clamp'])
    await where.fitSelection()
    const items = asked.map((a) => (a.body as { items: string[] }).items)
    expect(items).toEqual([['table', 'clamp', 'post'], ['table', 'clamp'], ['table']])
    expect(where.viewpoint.pivot_mm).toEqual([1, 2, 3])
  })

  it('fits a rectangle through its corners', async () => {
    const where = useWhere()
    await where.fitPoints([
      [0, 0, 0],
      [100, 0, 0],
    ])
    expect(asked.at(-1)!.body).toMatchObject({
      points_mm: [
        [0, 0, 0],
        [100, 0, 0],
      ],
      aspect: 1.6,
    })
  })

  it('keeps the projection at a standard view unless told otherwise', async () => {
    const where = useWhere()
    await where.loadStandardViews()
    await where.standard('right')
    expect(where.viewpoint).toMatchObject({
      bearing_deg: 90,
      elevation_deg: 0,
      projection: 'perspective',
    })
    useSettings().looking.parallelForStandard = true
    await where.standard('front')
    expect(where.viewpoint).toMatchObject({ bearing_deg: 0, projection: 'parallel' })
    useSettings().looking.parallelForStandard = false
    await where.standard('nowhere')
    expect(where.viewpoint.bearing_deg).toBe(0)
  })

  it('knows how far off square it stands, and holds still only where it does', async () => {
    const where = useWhere()
    await where.loadStandardViews()
    const stand = (bearing_deg: number, elevation_deg: number, projection = 'parallel') =>
      where.move({ ...START, bearing_deg, elevation_deg, projection } as Viewpoint)
    stand(91, 0.5)
    expect(where.standing?.s.id).toBe('right')
    expect(where.standing?.off).toBeCloseTo(1)
    expect(where.holdsSquare(0)).toBe(false)
    stand(90, 0)
    expect(where.holdsSquare(0)).toBe(true)
    stand(90, 0, 'perspective')
    expect(where.holdsSquare(0)).toBe(false)
    // From above every quarter of the bearing is square.
    stand(180, 90)
    expect([where.standing?.s.id, where.standing?.off]).toEqual(['top', 0])
  })

  it('opens panes that complete the first, and enlarges the one under the pointer', async () => {
    const where = useWhere()
    where.setLayout('four')
    await settled()
    expect(where.shownPanes).toEqual([0, 1, 2, 3])
    const stands = [1, 2, 3].map((i) => {
      const { bearing_deg, elevation_deg, projection } = where.panes[i]!.viewpoint
      return [bearing_deg, elevation_deg, projection]
    })
    expect(stands).toEqual([
      [0, 90, 'parallel'],
      [0, 0, 'parallel'],
      [90, 0, 'parallel'],
    ])
    where.under = 2
    where.enlarge()
    expect([where.shownPanes, where.active]).toEqual([[2], 2])
    where.enlarge()
    expect(where.shownPanes.length).toBe(4)
    where.setLayout('one')
    expect([where.active, where.shownPanes]).toEqual([0, [0]])
    where.enlarge()
    expect(where.enlarged).toBe(false)
    where.nextLayout()
    expect(where.layout).toBe('side')
  })

  it('moves linked panes along, and leaves them alone otherwise', () => {
    const where = useWhere()
    where.setLayout('side')
    const other = () => where.panes[1]!.viewpoint
    const before = other()
    where.move({ ...where.viewpoint, pivot_mm: [9, 9, 9] })
    expect(other()).toBe(before)
    useSettings().looking.linked = true
    where.move({ ...where.viewpoint, pivot_mm: [5, 5, 5], width_mm: where.viewpoint.width_mm / 2 })
    expect(other().pivot_mm).toEqual([5, 5, 5])
    expect(other().width_mm).toBeCloseTo(before.width_mm / 2)
    useSettings().looking.linked = false
  })

  it('levels, rolls, and puts the pivot back without turning', async () => {
    const where = useWhere()
    where.rollBy(200)
    expect(where.viewpoint.roll_deg).toBe(-160)
    where.level()
    expect(where.viewpoint.roll_deg).toBe(0)
    const { bearing_deg, distance_mm } = where.viewpoint
    await where.resetPivot()
    expect(where.viewpoint).toMatchObject({ bearing_deg, distance_mm, pivot_mm: [1, 2, 3] })
  })

  it('takes what is asked for in quick succession one after the other, none is lost', async () => {
    const where = useWhere()
    await where.loadStandardViews()
    // The core takes its time over the first.
    let first!: () => void
    const slow = new Promise<void>((done) => (first = done))
    let requests = 0
    begin({
      'POST /api/cells/{id}/frame': async ({ body }) => {
        if (requests++ === 0) await slow
        return framed((body as { viewpoint: Viewpoint }).viewpoint)
      },
    })
    const turned = where.standard('right')
    const fitted = where.fitAll()
    await settled()
    expect(requests).toBe(1)
    first()
    await Promise.all([turned, fitted])
    expect(requests).toBe(2)
    expect(where.viewpoint.bearing_deg).toBe(90)
  })

  it('waits not for ever for one that is not answered, nor goes it when it is late', async () => {
    vi.useFakeTimers({ toFake: ['setTimeout'] })
    const where = useWhere()
    await where.loadStandardViews()
    let late!: () => void
    const hung = new Promise<void>((done) => (late = done))
    let requests = 0
    begin({
      'POST /api/cells/{id}/frame': async ({ body }) => {
        if (requests++ === 0) await hung
        return framed((body as { viewpoint: Viewpoint }).viewpoint)
      },
    })
    const first = where.standard('right')
    const second = where.standard('top')
    await vi.advanceTimersByTimeAsync(2500)
    await second
    expect(where.viewpoint.elevation_deg).toBe(90)
    late()
    await first
    expect(where.viewpoint.elevation_deg).toBe(90)
    vi.useRealTimers()
  })

  it('goes where it was asked, though another pane is active by then', async () => {
    const where = useWhere()
    where.setLayout('side')
    await settled()
    let answered!: () => void
    const slow = new Promise<void>((done) => (answered = done))
    begin({
      'POST /api/cells/{id}/frame': async ({ body }) => {
        await slow
        return framed({ ...(body as { viewpoint: Viewpoint }).viewpoint, roll_deg: 7 })
      },
    })
    const fitted = where.fitSelection(['table'])
    where.active = 1
    answered()
    await fitted
    expect(where.panes.map((pane) => pane.viewpoint.roll_deg)).toEqual([7, 0, 0, 0])
  })

  it('goes on after a way that could not be gone', async () => {
    const where = useWhere()
    begin({ 'POST /api/cells/{id}/frame': () => new Refusal(500, 'No such luck.') })
    await expect(where.fitAll()).rejects.toThrow('No such luck.')
    begin({ 'POST /api/cells/{id}/frame': ({ body }) => framed((body as never)['viewpoint']) })
    await where.fitAll()
    expect(where.viewpoint.pivot_mm).toEqual([1, 2, 3])
  })

  it('steps on from where a flight ends, not from where it is just now', () => {
    vi.restoreAllMocks()
    vi.useFakeTimers({ toFake: ['setTimeout', 'performance'] })
    vi.stubGlobal('requestAnimationFrame', (next: (now: number) => void) =>
      setTimeout(() => next(performance.now()), 16),
    )
    vi.spyOn(useSettings(), 'still', 'get').mockReturnValue(false)
    const where = useWhere()
    where.move({ ...START, bearing_deg: 0, elevation_deg: 0 })
    where.step(1, 0)
    vi.advanceTimersByTime(100)
    expect(where.viewpoint.bearing_deg).toBeGreaterThan(0)
    expect(where.viewpoint.bearing_deg).toBeLessThan(45)
    where.step(1, 0)
    vi.advanceTimersByTime(1000)
    expect(where.viewpoint.bearing_deg).toBeCloseTo(90, 9)
    expect(where.back.map((v) => v.bearing_deg)).toEqual([0, 45])
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })
})
