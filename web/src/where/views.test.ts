import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell, Edit, SavedView, Tour } from '../api/client'
import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { useSection } from './sectionStore'
import { useSettings } from '../settings/settingsStore'
import { asked, begin, Refusal, settled } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useTours } from './tourStore'
import { useViews } from './viewsStore'
import { START } from './panes'
import { useWhere } from './whereStore'

const view = (id: string, more: Partial<SavedView> = {}): SavedView => ({
  id,
  name: id.toUpperCase(),
  viewpoint: { ...START, bearing_deg: 90 },
  style: 'wireframe',
  hidden: ['post'],
  ...more,
})

/** The cell, which takes edits of views and tours as the server would. */
function opened(views: SavedView[], tours: Tour[] = [], opening_view?: string) {
  const items = ['table', 'clamp', 'post'].map((id) => ({ id, name: id }))
  const bodies = items.map(({ id }) => ({ item: id, mesh: id }))
  const cell = useCell()
  const path = { duration_s: 10 }
  const document = { items, views, tours, opening_view }
  cell.cell = { id: 'c', revision: 1, document, bodies, path } as unknown as Cell
  const taken = ({ body }: { body?: unknown }) => {
    const { edit } = body as { edit: Edit }
    const now = cell.cell!
    const next = { ...now.document }
    if (edit.edit === 'save_view')
      next.views = [...(next.views ?? []).filter((v) => v.id !== edit.view.id), edit.view]
    if (edit.edit === 'save_tour')
      next.tours = [...(next.tours ?? []).filter((t) => t.id !== edit.tour.id), edit.tour]
    if (edit.edit === 'delete_tour') next.tours = next.tours?.filter((t) => t.id !== edit.tour)
    return { ...now, revision: now.revision + 1, document: next }
  }
  begin({
    'POST /api/cells/{id}/edits': taken,
    'POST /api/cells/{id}/frame': ({ body }) => (body as { viewpoint: unknown }).viewpoint,
    'POST /api/cells/{id}/section': () => ({ faces: [], overlaps: [], area_mm2: 0 }),
    'POST /api/tour-track': ({ body }) => {
      const { stops } = body as { stops: Tour['stops'] }
      if (stops.length < 2) return new Refusal(422, 'a tour needs two stops')
      // Each stop holds for a second, then the camera goes on for another.
      const viewpoints = Array.from({ length: stops.length * 20 }, (_, i) => ({
        ...START,
        bearing_deg: i,
      }))
      const arrivals_s = stops.map((_, i) => 2 * i)
      return { duration_s: 2 * stops.length - 1, step_s: 0.1, arrivals_s, viewpoints }
    },
    'GET /api/cells/{id}/poses': () => [],
  })
  vi.spyOn(useSettings(), 'still', 'get').mockReturnValue(true)
}
const edits = () => asked.flatMap((a) => (a.body as { edit?: Edit })?.edit ?? [])

describe('a new section', () => {
  beforeEach(() => freshStores())

  it('goes through the middle of the box of what is selected, facing whoever looks', async () => {
    opened([])
    const where = useWhere()
    where.move({ ...START, bearing_deg: 80, elevation_deg: 20, projection: 'perspective' })
    useWhat().selected = new Set(['clamp'])
    await useSection().toggle()
    const { body } = asked.find((a) => a.what === 'POST /api/cells/{id}/frame')!
    // Only without perspective and square to the axes the pivot of what is framed is that middle.
    const square = { bearing_deg: 0, elevation_deg: 0, roll_deg: 0, projection: 'parallel' }
    expect(body).toMatchObject({ items: ['clamp'], viewpoint: square })
    expect(useSection().section).toMatchObject({ normal: [1, 0, 0] })
  })
})

describe('saved views', () => {
  beforeEach(() => {
    freshStores()
    vi.stubGlobal('fetch', async () => new Response(new ArrayBuffer(0)))
  })

  it('keep what is seen under a name', async () => {
    opened([])
    const [views, what, where] = [useViews(), useWhat(), useWhere()]
    what.hide(['clamp'])
    where.move({ ...START, bearing_deg: 12 })
    where.style = 'hidden_dashed'
    useSection().add({ point_mm: [0, 0, 1], normal: [0, 0, 1] })
    useSection().toggleUncut(['table'])
    await views.save('Through the clamp')
    const [kept] = views.views
    expect(kept).toMatchObject({
      name: 'Through the clamp',
      viewpoint: { bearing_deg: 12 },
      style: 'hidden_dashed',
      hidden: ['clamp'],
      sections: [{ normal: [0, 0, 1] }],
      uncut: ['table'],
    })
    expect(views.recalled).toBe(kept!.id)
  })

  it('bring all of it back, and change by nothing that is done afterwards', () => {
    const sections = [{ point_mm: [1, 1, 1], normal: [1, 0, 0] }]
    opened([view('a', { sections, uncut: ['clamp'] })])
    const [views, what, where] = [useViews(), useWhat(), useWhere()]
    views.recall(views.views[0]!)
    expect([where.viewpoint.bearing_deg, where.style]).toEqual([90, 'wireframe'])
    expect([...what.visible].sort()).toEqual(['clamp', 'table'])
    expect(useSection().section?.normal).toEqual([1, 0, 0])
    expect([...useSection().cuts.uncut]).toEqual(['clamp'])
    where.move({ ...START, bearing_deg: 3 })
    expect(views.views[0]!.viewpoint.bearing_deg).toBe(90)
    expect(edits()).toEqual([])
  })

  it('bring back only the parts they keep', () => {
    opened([view('a', { keeps: ['visibility'] }), view('b', { keeps: ['viewpoint'] })])
    const [views, what, where] = [useViews(), useWhat(), useWhere()]
    views.recall(views.views[0]!)
    expect([where.viewpoint.bearing_deg, where.style]).toEqual([30, 'shaded_edges'])
    expect(what.visible.has('post')).toBe(false)
    what.showAll()
    views.recall(views.views[1]!)
    expect([where.viewpoint.bearing_deg, what.visible.has('post')]).toEqual([90, true])
  })

  it('are updated under their name, heading and parts, and copied under another id', async () => {
    opened([view('a', { group: 'Details', keeps: ['viewpoint', 'style'] })])
    const [views, where] = [useViews(), useWhere()]
    where.move({ ...START, bearing_deg: 45 })
    await views.update(views.views[0]!)
    expect(views.views[0]).toMatchObject({
      id: 'a',
      name: 'A',
      group: 'Details',
      keeps: ['viewpoint', 'style'],
      viewpoint: { bearing_deg: 45 },
    })
    await views.duplicate(views.views[0]!)
    const copy = views.views.find((v) => v.name === 'A, copy')!
    expect(copy.id).not.toBe('a')
    await views.setKeeps(copy, ['viewpoint', 'style', 'visibility', 'section', 'time'])
    expect(views.views.find((v) => v.id === copy.id)!.keeps).toBeUndefined()
  })

  it('stand under their headings, those without one first', () => {
    opened([view('a', { group: 'Details' }), view('b'), view('c', { group: 'Details' })])
    const headings = useViews().groups.map(([key, list]) => [key, list.map((v) => v.id).join(' ')])
    expect(headings).toEqual([
      [null, 'b'],
      ['Details', 'a c'],
    ])
  })

  it('open the cell with one of them, or with all in sight', async () => {
    opened([view('a')], [], 'a')
    const views = useViews()
    await views.showOpening()
    expect([useWhere().viewpoint.bearing_deg, views.recalled]).toEqual([90, 'a'])
    opened([view('a')])
    await views.showOpening()
    expect(useWhere().viewpoint).toMatchObject({ bearing_deg: 30 })
  })
})

describe('tours', () => {
  const stop = (name: string, more: object = {}) => ({
    name,
    viewpoint: START,
    hold_s: 1,
    travel_s: 1,
    passing: false,
    ...more,
  })
  const tour = (): Tour => ({
    id: 't',
    name: 'Round',
    with_programs: false,
    stops: [stop('one', { view: 'a' }), stop('two'), stop('three')],
  })

  beforeEach(() => {
    freshStores()
    vi.stubGlobal('fetch', async () => new Response(new ArrayBuffer(0)))
  })
  async function open() {
    opened([view('a', { keeps: ['style', 'time'], time_s: 4 })], [tour()])
    const tours = useTours()
    tours.open('t')
    await settled()
    return tours
  }

  it('show the camera where it is at every moment', async () => {
    const tours = await open()
    expect(tours.duration).toBe(5)
    tours.show(0.55)
    expect(useWhere().viewpoint.bearing_deg).toBeCloseTo(5.5)
    tours.show(99)
    expect(tours.time).toBe(5)
    expect(tours.eyes.length).toBe(60)
  })

  it('dress the picture as the view of a stop does, but leave the time alone', async () => {
    const tours = await open()
    tours.show(0.1)
    expect([useWhere().style, useWhen().time]).toEqual(['wireframe', 4])
    const withPrograms = { ...tours.tour!, with_programs: true }
    await useCell().edit({ edit: 'save_tour', tour: withPrograms })
    await settled()
    tours.goTo(2.5)
    tours.goTo(0.5)
    expect(useWhen().time).toBe(0.5)
  })

  it('step from arrival to arrival, first back to the start of the one they are at', async () => {
    const tours = await open()
    tours.goTo(2.7)
    tours.step(-1)
    expect([tours.time, tours.chosen]).toEqual([2, 1])
    tours.step(-1)
    expect(tours.time).toBe(0)
    tours.step(-1)
    expect(tours.time).toBe(0)
    tours.step(1)
    tours.step(1)
    tours.step(1)
    expect(tours.time).toBe(4)
  })

  it('are changed stop by stop, each an edit of its own', async () => {
    const tours = await open()
    await tours.changeStop(1, { hold_s: 3 })
    await tours.moveStop(2, 0)
    await tours.insert(0)
    await tours.shift(0, [10, 0, 0])
    const stops = tours.tour!.stops
    expect(stops.map((s) => s.name)).toEqual(['three', 'Stop 4', 'one', 'two'])
    expect([stops[3]!.hold_s, stops[0]!.viewpoint.pivot_mm[0]]).toEqual([3, 10])
    expect(tours.chosen).toBe(1)
    await tours.remove(0)
    expect(tours.tour!.stops.length).toBe(3)
    expect(edits().length).toBe(5)
  })

  it('are made through all saved views, and say why they can not be played', async () => {
    opened([view('a')], [])
    const tours = useTours()
    await tours.create('All')
    await settled()
    expect(tours.tour?.stops.map((s) => s.view)).toEqual(['a'])
    expect([tours.fault, tours.track]).toEqual(['a tour needs two stops', null])
    tours.togglePlay()
    expect(tours.playing).toBe(false)
    await tours.removeTour(tours.openId!)
    expect([tours.openId, tours.tours]).toEqual([null, []])
  })
})
