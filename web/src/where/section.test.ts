import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { START } from './panes'
import { axisOf, useSection } from './sectionStore'
import { useWhere } from './whereStore'

const face = { item: 'post', area_mm2: 4, triangles: [], outlines_mm: [], open_mm: [] }
const overlap = { items: ['post', 'lid'], area_mm2: 1, triangles: [], outlines_mm: [] }
beforeEach(() => {
  freshStores()
  begin({
    'POST /api/cells/{id}/section': ({ body }) => {
      const { overlaps } = body as { overlaps: boolean }
      return { faces: [face], overlaps: overlaps ? [overlap] : [], area_mm2: 4 }
    },
  })
  openCell(
    [
      { id: 'post', name: 'Post' },
      { id: 'lid', name: 'Lid', parent: 'post' },
      { id: 'tcp', name: 'Tip', role: 'frame' },
    ],
    'c',
    {
      item_nodes: [0, 0, 1],
      moving_nodes: [],
      // The tip stands 500 mm up and looks along X.
      poses: [
        [0, 0, 0, 0, 0, 0, 1],
        [0, 0, 0.5, 0, Math.SQRT1_2, 0, Math.SQRT1_2],
      ],
    },
  )
})
const cut = { point_mm: [100, 0, 800], normal: [0, 0, 2] }
const near = (found: readonly number[] | undefined, wanted: number[]) =>
  expect(found?.map((x) => Math.round(x * 1e6) / 1e6 + 0)).toEqual(wanted)

describe('several sections', () => {
  it('are added, worked on one at a time, and removed', () => {
    const section = useSection()
    section.add(cut)
    section.add({ ...cut, normal: [1, 0, 0] })
    section.shift(5)
    section.at = 0
    section.shift(-10)
    section.flip()
    const told = section.sections.map((s) => [s.point_mm, s.normal])
    expect(told).toEqual([
      [
        [100, 0, 790],
        [-0, -0, -2],
      ],
      [
        [105, 0, 800],
        [1, 0, 0],
      ],
    ])
    section.remove(0)
    expect(section.section!.normal).toEqual([1, 0, 0])
    section.clear()
    expect(section.section).toBeNull()
  })

  it('begin square to the axis one looks along most, each to another', async () => {
    const [section, where] = [useSection(), useWhere()]
    where.move({ ...START, bearing_deg: 20, elevation_deg: 30 })
    for (let i = 0; i < 4; i++) await section.addNew()
    const axes = section.sections.map((s) => s.normal.findIndex((x) => x !== 0))
    expect(axes).toEqual([1, 2, 0, 1])
    await section.toggle()
    expect(section.sections).toEqual([])
  })

  it('are kept by name, and cut again by it', async () => {
    const section = useSection()
    begin({
      'POST /api/cells/{id}/edits': () => useCell().cell,
      'POST /api/cells/{id}/section': () => ({ faces: [], overlaps: [], area_mm2: 0 }),
    })
    section.add(cut)
    await section.keep('Through the bore')
    const { edit } = asked.find((a) => a.what.endsWith('/edits'))!.body as {
      edit: { edit: string; section: { id: string; name: string; section: object } }
    }
    expect([edit.edit, edit.section.name]).toEqual(['save_section', 'Through the bore'])
    expect(edit.section.section).toEqual(cut)
    const cell = useCell()
    const document = { ...cell.cell!.document, sections: [edit.section] }
    cell.cell = { ...cell.cell!, document } as typeof cell.cell
    section.clear()
    section.add(section.kept[0]!.section)
    expect(section.sections).toEqual([cut])
  })

  it('go through a point that is picked, and keep their direction', () => {
    const section = useSection()
    section.goThrough([10, 20, 30])
    expect(section.sections).toHaveLength(1)
    const { normal } = section.section!
    section.goThrough([40, 50, 60])
    expect(section.sections).toHaveLength(1)
    expect(section.section!.normal).toEqual(normal)
    near(section.section!.point_mm, [40, 50, 60])
    section.fixTo('tcp')
    section.goThrough([1, 2, 3])
    near(section.placed!.point_mm, [1, 2, 3])
  })

  it('go through three points, towards the eye, but not through a line', () => {
    const section = useSection()
    useWhere().move({ ...START, bearing_deg: 0, elevation_deg: 0 })
    expect(section.addThrough([0, 0, 0])).toBe(false)
    expect(section.addThrough([100, 0, 0])).toBe(false)
    expect(section.addThrough([200, 0, 0])).toBe(false)
    expect(section.sections).toHaveLength(0)
    for (const point of [
      [0, 50, 0],
      [100, 50, 0],
      [0, 50, 100],
    ] as const)
      section.addThrough([...point])
    near(section.section!.point_mm, [0, 50, 0])
    near(section.section!.normal, [0, -1, 0])
  })

  it('stand square to what runs along somewhere, and to nothing else', async () => {
    const known = (values: object[]) => ({ pick: {}, known: { values } })
    let values: object[] = [
      { what: 'diameter', length_mm: 12 },
      { what: 'axis', direction: [0, 1, 0] },
    ]
    begin({
      'POST /api/cells/{id}/pick': () => known(values),
      'POST /api/cells/{id}/section': () => ({ faces: [], overlaps: [], area_mm2: 0 }),
    })
    const section = useSection()
    useWhere().move({ ...START, bearing_deg: 0, elevation_deg: 0 })
    const hit = { body: 0, triangle: 3, at: [1, 2, 3] as [number, number, number], near_mm: 4 }
    await section.addSquareTo(hit)
    near(section.section!.point_mm, [1, 2, 3])
    near(section.section!.normal, [0, -1, 0])
    values = [{ what: 'normal', direction: [1, 0, 0] }]
    await section.addSquareTo(hit)
    expect(section.sections).toHaveLength(1)
  })

  it('are said to lie along an axis only if they do', () => {
    expect(
      [
        [0, 0, 2],
        [0, -1, 0],
        [1, 1e-12, 0],
      ].map(axisOf),
    ).toEqual([2, 1, 0])
    // Off by a hundredth of a degree.
    expect(axisOf([1, 2e-4, 0])).toBe(-1)
  })

  it('turn square to an axis, towards the eye, and stay what they are', () => {
    const [section, where] = [useSection(), useWhere()]
    where.move({ ...START, bearing_deg: 0, elevation_deg: 30 })
    section.add(cut)
    section.become('slab')
    section.squareTo(1)
    expect(section.section).toMatchObject({ normal: [0, -1, 0], shape: { slab: {} } })
    section.become('quarter')
    section.squareTo(2)
    expect(section.section!.normal).toEqual([0, 0, 1])
    const { shape } = section.section!
    expect((shape as { corner: { others: number[][] } }).corner.others[0]![2]).toBeCloseTo(0, 9)
  })

  it('go with what they move with, and leave the others as they were', async () => {
    const section = useSection()
    section.add({ ...cut, fixed_to: 'tcp' })
    section.add({ ...cut, normal: [1, 0, 0] })
    section.add({ ...cut, normal: [0, 1, 0] })
    section.at = 1
    section.remove(0)
    expect(section.section!.normal).toEqual([1, 0, 0])
    section.add({ ...cut, fixed_to: 'tcp' })
    openCell([{ id: 'post' }], 'another')
    await nextTick()
    expect(section.sections.map((s) => s.normal)).toEqual([
      [1, 0, 0],
      [0, 1, 0],
    ])
  })

  it('become slabs and corners towards the eye, and planes again', () => {
    const [section, where] = [useSection(), useWhere()]
    where.move({ ...START, bearing_deg: 45, elevation_deg: 30 })
    section.add(cut)
    section.become('slab')
    section.setThickness(25)
    expect(section.section!.shape).toEqual({ slab: { thickness_mm: 25 } })
    section.become('quarter')
    expect(section.kind).toBe('quarter')
    section.become('eighth')
    const { shape } = section.section!
    const others = (shape as { corner: { others: number[][] } }).corner.others
    expect(others.length).toBe(2)
    // Square to the section and to each other.
    const [a, b] = others as [number[], number[]]
    near([a[2]!, b[2]!, a[0]! * b[0]! + a[1]! * b[1]!], [0, 0, 0])
    section.become('plane')
    expect(section.kind).toBe('plane')
  })

  it('stay where they are when they are fixed to a frame, and when they are freed', () => {
    const section = useSection()
    section.add({ ...cut, shape: { corner: { others: [[1, 0, 0]] } } })
    section.fixTo('tcp')
    expect(section.section!.fixed_to).toBe('tcp')
    near(section.section!.point_mm, [-300, 0, 100])
    near(section.section!.normal, [-1, 0, 0])
    near(section.placed!.point_mm, [100, 0, 800])
    section.fixTo(null)
    near(section.section!.point_mm, [100, 0, 800])
    near(section.section!.normal, [0, 0, 1])
    const { shape } = section.section!
    near((shape as { corner: { others: number[][] } }).corner.others[0], [1, 0, 0])
    expect(section.section!.fixed_to).toBeUndefined()
  })

  it('leave whole what is not to be cut, with all that hangs on it', async () => {
    const [section, what] = [useSection(), useWhat()]
    what.selected = new Set(['post'])
    section.add(cut)
    section.toggleUncut()
    await vi.waitFor(() => expect(section.faces).not.toBeNull())
    await vi.waitFor(() => expect(asked.at(-1)!.body).toMatchObject({ items: ['tcp'] }))
    section.toggleUncut()
    expect([...section.cuts.uncut]).toEqual([])
  })

  it('are drawn at the moment of their faces while programs play', async () => {
    const [section, when] = [useSection(), useWhen()]
    expect(section.drawnAt).toBe(0)
    section.add(cut)
    await vi.waitFor(() => expect(section.faces).not.toBeNull())
    when.playing = true
    when.time = 1.25
    // Until they are there the picture stays as it is.
    expect(section.drawnAt).toBe(0)
    await vi.waitFor(() => expect(section.drawnAt).toBe(1.25))
    expect(asked.at(-1)!.body).toMatchObject({ time_s: 1.25 })
    when.time = 2
    when.playing = false
    expect(section.drawnAt).toBe(2)
  })

  it('cut what is jogged where the hand has it', async () => {
    const [section, jog] = [useSection(), useJog()]
    section.add(cut)
    await vi.waitFor(() => expect(section.faces?.overlaps.length).toBe(1))
    jog.tried = { 'post/lift': 40 }
    jog.answer = { nodes: [], poses: [] } as unknown as typeof jog.answer
    const joints_deg_or_mm = { 'post/lift': 40 }
    await vi.waitFor(() => expect(asked.at(-1)!.body).toMatchObject({ joints_deg_or_mm }))
  })

  it('let the picture go on when no faces come', async () => {
    const [section, when] = [useSection(), useWhen()]
    begin({
      'POST /api/cells/{id}/section': () => {
        throw new Refusal(500, 'no')
      },
    })
    section.add(cut)
    when.playing = true
    when.time = 3
    await vi.waitFor(() => expect(asked.length).toBeGreaterThan(0))
    expect(section.drawnAt).toBe(3)
  })

  it('show their faces at once, and where items overlap when they rest', async () => {
    const section = useSection()
    section.add(cut)
    section.shift(1)
    section.shift(1)
    await vi.waitFor(() => expect(section.faces?.overlaps.length).toBe(1))
    const bodies = asked.map((a) => a.body as { overlaps: boolean; sections: unknown[] })
    expect(bodies.map((b) => b.overlaps)).toEqual([false, true])
    expect(bodies.at(-1)!.sections).toMatchObject([{ point_mm: [100, 0, 802] }])
    section.clear()
    await vi.waitFor(() => expect(section.faces).toBeNull())
  })
})
