import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import type { Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useUnits } from '../settings/units'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useWhen } from '../when/whenStore'
import { useMeasure } from './measureStore'
import ReachAlong from './ReachAlong.vue'
import { useReach } from './reachStore'
import { type Series, useSeries } from './seriesStore'
import { certainty, seriesName, seriesValue, valueAt } from './seriesTold'

const ALONG = 'POST /api/cells/{id}/along'
const REACH = 'POST /api/cells/{id}/reach-along'
const OUTLINE = 'POST /api/cells/{id}/reach-outline'
const series = (what: Series['what'], more: Partial<Series> = {}): Series => ({
  what,
  unit: 'mm',
  times_s: [0, 2, 4],
  values: [10, 30, 20],
  smallest: { time_s: 0, value: 10, bound: 9.9 },
  largest: { time_s: 2, value: 30 },
  ...more,
})
const frame = (on: string) => ({ on, kind: 'frame' as const })

describe('along the path', () => {
  let pinia: Pinia
  beforeEach(() => {
    pinia = freshStores()
    const percent = { unit: 'percent', largest: { time_s: 3, value: 98.6, bound: 98.6 } } as const
    const limit = { joint: 'arm/j2', unit: 'deg', smallest: { time_s: 1, value: 4 } } as const
    begin({
      [ALONG]: () => ({ series: [series('nearest'), series('farthest')], not_certain: ['open'] }),
      [REACH]: () => ({ series: [series('reach_used', percent), series('to_limit', limit)] }),
      [OUTLINE]: () => ({ lines_mm: [[[0, 0, 0]]], normal: [0, 1, 0], not_counted: 'Limits.' }),
      'POST /api/cells/{id}/measure': () => ({ known: [], numbers: [] }),
      'GET /api/cells/{id}/poses': () => [],
    })
    const arm = { id: 'arm', role: 'robot' }
    const tcp = { id: 'tcp', role: 'frame', parent: 'arm', frame_kind: 'tcp' }
    openCell([arm, tcp, { id: 'post' }])
  })

  it('what is measured is followed, and followed on when something else is', async () => {
    const [follows, measure] = [useSeries(), useMeasure()]
    measure.set([frame('tcp'), { on: 'post', kind: 'item' }])
    await settled()
    await follows.followMeasured()
    expect(follows.shown!.what).toBe('nearest')
    expect(follows.notCertain).toEqual(['open'])
    measure.set([frame('tcp')])
    await settled()
    expect(times(ALONG)).toBe(2)
    // Nothing, or a chain, can not be followed: the strip shows the clearance again.
    measure.clear()
    await settled()
    expect(follows.followed).toBeNull()
  })

  it('is followed anew when the cell is another, and let go of with its cell', async () => {
    const follows = useSeries()
    await follows.followReach('tcp')
    const cell = useCell()
    cell.cell = { ...cell.cell!, revision: 2, fingerprint: 'g' }
    await settled()
    expect(times(REACH)).toBe(2)
    openCell([{ id: 'post' }], 'other')
    await settled()
    expect([follows.followed, follows.all]).toEqual([null, []])
  })

  it('says why it can not be followed', async () => {
    begin({ [REACH]: () => new Refusal(422, 'nothing moves in this cell') })
    const follows = useSeries()
    await follows.followReach('tcp')
    expect([follows.refused, follows.busy]).toEqual(['nothing moves in this cell', false])
  })

  it('tells values with their units, and never more than is certain', () => {
    const units = useUnits()
    const one = series('nearest')
    expect(certainty(one, 'smallest', units)).toBe('certainly ≥ 9.90 mm')
    expect(certainty(one, 'largest', units)).toBe('of the instants looked at')
    expect(seriesName(series('to_limit', { joint: 'arm/j2' }))).toBe('To the limit of j2')
    const said = (unit: Series['unit'], value: number) => seriesValue({ unit }, value, units)
    expect(said('percent', 98.64)).toBe('98.6 %')
    expect(said('mm_per_s', 250)).toBe('250.0 mm/s')
    expect(said('plain', 0.08421)).toBe('0.084')
    expect([-1, 0, 1, 3, 9].map((t) => valueAt(one, t))).toEqual([10, 10, 20, 25, 20])
  })

  it('worst instants of a reach are gone to, with the reach measured there', async () => {
    const shown = mounted(ReachAlong, pinia)
    await shown.get(byTest('reach-along')).trigger('click')
    await settled()
    const rows = shown.findAll(byTest('worst-instant'))
    expect(rows.map((r) => r.text())).toEqual([
      expect.stringContaining('98.6 %'),
      expect.stringContaining('To the limit of j2'),
    ])
    expect(rows[0]!.text()).toContain('certainly ≤ 98.6 %')
    await rows[1]!.trigger('click')
    expect(useWhen().time).toBe(1)
    expect(useSeries().shown!.what).toBe('to_limit')
    expect(useMeasure().picks.map((p) => p.on)).toEqual(['arm', 'tcp'])
  })

  it('another TCP that is chosen is followed instead', async () => {
    const hand = { id: 'hand', role: 'frame', parent: 'arm', frame_kind: 'tcp' }
    const tcp = { id: 'tcp', role: 'frame', parent: 'arm', frame_kind: 'tcp' }
    openCell([{ id: 'arm', role: 'robot' }, tcp, hand])
    const reach = useReach()
    await reach.follow()
    reach.choose('hand')
    await settled()
    const followed = asked.filter((a) => a.what === REACH).map((a) => a.body)
    expect(followed).toEqual([{ tcp: 'tcp' }, { tcp: 'hand' }])
  })

  it('the outline is drawn where it is wanted, and goes with the play head', async () => {
    const reach = useReach()
    reach.outlined = true
    await settled()
    expect(reach.lines).toHaveLength(1)
    const bodies = () =>
      asked.filter((a) => a.what === OUTLINE).map((a) => a.body as Schemas['OutlineWanted'])
    expect(bodies()[0]!.normal).toBeUndefined()
    reach.plane = 'level'
    await settled()
    expect(bodies().at(-1)!.normal).toEqual([0, 0, 1])
    useWhen().goTo(2)
    await settled()
    expect(bodies()).toHaveLength(3)
    reach.outlined = false
    await nextTick()
    expect(reach.lines).toEqual([])
  })

  it('the outline of an arm of another build is refused in words', async () => {
    begin({ [OUTLINE]: () => new Refusal(422, 'it is built otherwise') })
    const shown = mounted(ReachAlong, pinia)
    await shown.get(byTest('reach-outline')).setValue(true)
    await settled()
    expect(shown.get('[role=alert]').text()).toBe('it is built otherwise')
  })
})
