import { beforeEach, describe, expect, it } from 'vitest'

import type { Schemas } from '../api/client'
import { useNotices } from '../cell/noticesStore'
import { useUnits } from '../settings/units'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useWhen } from '../when/whenStore'
import { useWhere } from '../where/whereStore'
import { asText } from './asText'
import { headline, told } from './known'
import { type Met, useMeasure } from './measureStore'

const MEASURE = 'POST /api/cells/{id}/measure'
const PICK = 'POST /api/cells/{id}/pick'
const span = (length_mm: number): Schemas['Span'] => ({
  length_mm,
  along_mm: [length_mm, 0, 0],
  level_mm: [length_mm, 0],
  from_mm: [0, 0, 0],
  to_mm: [length_mm, 0, 0],
})
const hole: Schemas['Known'] = {
  item: 'plate',
  of: 'Plate',
  is: 'hole',
  values: [
    { what: 'diameter', length_mm: 24.98 },
    { what: 'centre', point_mm: [1, 2, 3.25] },
    { what: 'axis', direction: [0, 0, -1e-17] },
    { what: 'off_at_most', length_mm: 0.0001 },
  ],
  lines_mm: [
    [
      [0, 0, 0],
      [1, 0, 0],
    ],
  ],
  points_mm: [[1, 2, 3.25]],
}
const met = (more: Partial<Met> = {}): Met => ({
  item: 'plate',
  body: 0,
  triangle: 7,
  at: [1, 2, 3],
  near_mm: 4,
  ...more,
})

describe('measuring', () => {
  let between: Partial<Schemas['Between']>
  beforeEach(() => {
    freshStores()
    between = { largest: span(300) }
    begin({
      [PICK]: () => ({ pick: { on: 'plate', kind: 'face', at_mm: [1, 2, 3] }, known: hole }),
      [MEASURE]: ({ body }) => {
        const { picks } = body as { picks: unknown[] }
        const two = { smallest: span(120), overlap: false, not_certain: [], ...between }
        return {
          known: picks.map(() => hole),
          ...(picks.length === 2 && { between: two }),
          numbers: [{ what: 'nearest', length_mm: 120 }],
        }
      },
    })
    openCell([{ id: 'plate' }, { id: 'pin' }, { id: 'tcp', role: 'frame' }])
  })

  it('takes what was clicked first before what is found sooner', async () => {
    const measure = useMeasure()
    void measure.click(met(), 'nearest')
    await measure.click(met({ item: 'pin' }), 'item')
    expect(measure.picks.map((p) => p.on)).toEqual(['plate', 'pin'])
  })

  it('takes one thing, then another, and then begins anew', async () => {
    const measure = useMeasure()
    await measure.click(met(), 'nearest')
    await settled()
    expect(measure.measured?.known).toHaveLength(1)
    expect(measure.measured?.between).toBeUndefined()
    await measure.click(met({ item: 'pin' }), 'item')
    await settled()
    expect(measure.picks).toEqual([
      { on: 'plate', kind: 'face', at_mm: [1, 2, 3] },
      { on: 'pin', kind: 'item' },
    ])
    expect(measure.shownSpan?.length_mm).toBe(120)
    measure.pointedAt = 'largest'
    expect(measure.shownSpan?.length_mm).toBe(300)
    await measure.click(met({ body: undefined, item: 'tcp' }), 'nearest')
    expect(measure.picks).toEqual([{ on: 'tcp', kind: 'frame' }])
  })

  it('takes a spot where it is, however near a corner is', async () => {
    const measure = useMeasure()
    await measure.click(met(), 'spot')
    expect(measure.picks[0]!.kind).toBe('spot')
    expect((asked[0]!.body as { near_mm: number }).near_mm).toBe(0)
  })

  it('measures again when time goes on, at that time, and not when nothing is picked', async () => {
    const measure = useMeasure()
    const when = useWhen()
    when.goTo(1)
    await settled()
    expect(times(MEASURE)).toBe(0)
    measure.set([{ on: 'pin', kind: 'item' }])
    await settled()
    when.goTo(2.5)
    await settled()
    const last = asked.filter((a) => a.what === MEASURE).at(-1)!
    expect((last.body as { time_s: number }).time_s).toBe(2.5)
    measure.clear()
    await settled()
    expect(measure.measured).toBeNull()
  })

  it('says why nothing can be measured, and forgets that with the picks', async () => {
    const gone = new Refusal(422, 'the corner of Plate is no longer there')
    begin({ [MEASURE]: () => gone, [PICK]: () => new Refusal(422, 'there is no such triangle') })
    const measure = useMeasure()
    measure.set([{ on: 'plate', kind: 'corner', at_mm: [9, 9, 9] }])
    await settled()
    expect(measure.refused).toContain('no longer there')
    await measure.click(met(), 'nearest')
    expect(useNotices().said).toContain('no such triangle')
    measure.clear()
    await settled()
    expect(measure.refused).toBe('')
  })

  it('shows what a click would take, only while things are picked', async () => {
    const measure = useMeasure()
    measure.toggle()
    await measure.aim(met(), 'nearest')
    expect(measure.aimed?.known.is).toBe('hole')
    expect(measure.drawn.lines).toHaveLength(1)
    useWhere().asking = null
    await settled()
    expect(measure.aimed).toBeNull()
  })

  it('finds what is nearest to the one thing picked', async () => {
    const near = { pick: { on: 'pin', kind: 'item' }, name: 'Pin', distance_mm: 4.2 }
    begin({
      'POST /api/cells/{id}/nearest': () => [near],
      [MEASURE]: () => ({ known: [hole], numbers: [] }),
    })
    const measure = useMeasure()
    measure.set([{ on: 'plate', kind: 'item' }])
    await measure.findNeighbours()
    expect(measure.neighbours).toEqual([near])
    measure.put(1, { on: 'pin', kind: 'item' })
    await settled()
    expect(measure.neighbours).toBeNull()
  })

  it('goes on as a chain, which tells each leg, and is copied as text', async () => {
    const chain = { length_mm: 300, legs: [span(100), span(200)], angles_deg: [90] }
    begin({
      [PICK]: () => ({ pick: { on: 'plate', kind: 'face', at_mm: [1, 2, 3] }, known: hole }),
      [MEASURE]: ({ body }) => ({
        known: (body as { picks: unknown[] }).picks.map(() => hole),
        ...((body as { picks: unknown[] }).picks.length > 2 && { chain }),
        numbers: [{ what: 'along_chain', length_mm: 300 }],
      }),
    })
    const measure = useMeasure()
    for (const chained of [false, false, true]) await measure.click(met(), 'nearest', chained)
    await settled()
    expect(measure.picks).toHaveLength(3)
    // A leg that is pointed at is the one that is told in the picture.
    measure.pointedLeg = 1
    expect(measure.shownSpan!.length_mm).toBe(200)
    const text = asText(measure.measured!, useUnits(), '00:01.000')
    expect(text).toContain('chain: 300.00 mm')
    expect(text).toContain('B to C: 200.00 mm')
    await measure.click(met(), 'nearest')
    expect(measure.picks).toHaveLength(1)
  })

  it('draws what lies between frames and targets along the floor and upwards, too', async () => {
    const smallest = { ...span(120), from_mm: [0, 0, 0], to_mm: [30, 40, 50], level_mm: [50, 50] }
    const known = (['frame', 'target'] as const).map((is) => ({ ...hole, is }))
    begin({
      [MEASURE]: () => ({ known, between: { smallest, overlap: false }, numbers: [] }),
    })
    const measure = useMeasure()
    measure.set([
      { on: 'arm', kind: 'frame' },
      { on: 'p/A', kind: 'target' },
    ])
    await settled()
    expect(measure.corner).toEqual([
      [
        [0, 0, 0],
        [30, 40, 0],
        [30, 40, 50],
      ],
    ])
  })
})

describe('what is known', () => {
  beforeEach(() => freshStores())

  it('is told as set, and as it is', () => {
    const units = useUnits()
    expect(headline(hole, units)).toBe('Hole Ø 24.98 mm')
    const values = hole.values.map((v) => told(v, units))
    expect(values.map((v) => v.text)).toEqual([
      '24.98 mm',
      '1.00 2.00 3.25',
      '0.000 0.000 0.000',
      '0.0001 mm',
    ])
    expect(values[1]!.raw).toBe('1 2 3.25 mm')
  })

  it('becomes text that says what is not parallel', () => {
    const carriers = { of_a: 'plane', of_b: 'plane', angle_deg: 0.3 } as const
    const between = { smallest: span(12), overlap: false, carriers, not_certain: [] }
    const measured = { known: [hole, hole], between, numbers: [] }
    const text = asText(measured, useUnits(), '00:01.000')
    expect(text).toContain('A: Hole Ø 24.98 mm, Plate')
    expect(text).toContain('plane to plane: not parallel, 0.30°')
    expect(text.split('\n').at(-1)).toBe('at 00:01.000')
  })
})
