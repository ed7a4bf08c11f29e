import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import type { Pair } from '../api/client'
import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import KeptList from './KeptList.vue'
import { type Finding, useKept } from './keptStore'
import { useMeasure } from './measureStore'

const KEPT = 'GET /api/cells/{id}/kept-findings'
const nearest = (length_mm: number) => ({ what: 'nearest' as const, length_mm })
const finding = (id: string, mm: number, more: Partial<Finding> = {}): Finding => ({
  id,
  name: `Finding ${id}`,
  picks: [
    { on: 'plate', kind: 'item' },
    { on: 'pin', kind: 'item' },
  ],
  time_s: 3,
  was: [nearest(mm)],
  ...more,
})

describe('kept findings', () => {
  let pinia: Pinia
  beforeEach(() => {
    pinia = freshStores()
    begin({
      [KEPT]: () => [
        { id: 'a', now: [nearest(12)], changed: true },
        { id: 'b', now: [], gone: 'there is no item "pin"', changed: true },
        { id: 'c', now: [nearest(7)], changed: false },
      ],
      'POST /api/cells/{id}/measure': () => ({ known: [], numbers: [nearest(4.2)] }),
      'POST /api/cells/{id}/edits': () => useCell().cell,
    })
  })
  async function opened(findings: Finding[]) {
    const cell = openCell([{ id: 'plate', name: 'Plate' }, { id: 'pin' }, { id: 'mast' }])
    const document = { ...cell.cell!.document, findings }
    cell.cell = { ...cell.cell!, document, joints: [], frames: [] }
    const kept = useKept()
    await kept.load()
    await settled()
    return kept
  }

  it('say what they were where that differs, and why they can no longer be measured', async () => {
    await opened([finding('a', 10), finding('b', 5), finding('c', 7)])
    const shown = mounted(KeptList, pinia)
    const cards = shown.findAll(byTest('kept-finding')).map((c) => c.text())
    expect(cards[0]).toContain('12.00 mm')
    expect(cards[0]).toContain('was 10.00 mm')
    expect(cards[1]).toContain('5.00 mm')
    expect(cards[1]).toContain('no item "pin"')
    expect(cards[2]).not.toContain('was')
  })

  it('are sorted by what they come to, and filtered by what they say', async () => {
    const all = [finding('a', 10), finding('b', 5, { note: 'check with the fitter' })]
    const kept = await opened([...all, finding('c', 7)])
    kept.order = 'number'
    expect(kept.list.map((k) => k.finding.id)).toEqual(['b', 'c', 'a'])
    kept.filter = 'FITTER'
    expect(kept.list.map((k) => k.finding.id)).toEqual(['b'])
    kept.filter = 'plate'
    expect(kept.list).toHaveLength(3)
  })

  it('keep a closest approach: both bodies, the time, the view and the numbers', async () => {
    const kept = await opened([])
    useWhat().hide(['mast'])
    const a = { item: 'plate', name: 'Plate' }
    const b = { item: 'pin', link: 'tip', name: 'Pin tip' }
    await kept.keepPair({ a, b, time_s: 13.8 } as Pair)
    const edit = asked.find((x) => x.what.endsWith('/edits'))!.body as {
      edit: { finding: Finding }
    }
    const { finding: saved } = edit.edit
    expect(saved.name).toBe('Plate to Pin tip')
    expect(saved.picks).toEqual([
      { on: 'plate', kind: 'item' },
      { on: 'pin/tip', kind: 'item' },
    ])
    expect([saved.time_s, saved.was]).toEqual([13.8, [nearest(4.2)]])
    expect(saved.view!.hidden).toEqual(['mast'])
  })

  it('know a closest approach that is kept by its bodies and its time', async () => {
    const picks = ['plate', 'pin/tip'].map((on) => ({ on, kind: 'item' as const }))
    const kept = await opened([finding('a', 10, { picks, time_s: 13.8 })])
    const [a, b] = [{ item: 'plate' }, { item: 'pin', link: 'tip' }]
    const isKept = (by: object) => kept.isKept({ a, b, time_s: 13.8, ...by } as Pair)
    expect(isKept({})).toBe(true)
    expect(isKept({ time_s: 13.9 })).toBe(false)
    expect(isKept({ a: b, b: a })).toBe(false)
    expect(isKept({ b: { item: 'pin' } })).toBe(false)
  })

  it('have the joints where a hand had them, and let go of them after', async () => {
    const joints_deg_or_mm = { 'pin/lift': 40 }
    const kept = await opened([finding('a', 10, { joints_deg_or_mm }), finding('c', 7)])
    const jog = useJog()
    kept.show(kept.all[0]!)
    expect([jog.open, jog.item]).toEqual([true, 'pin'])
    expect(jog.tried).toMatchObject(joints_deg_or_mm)
    kept.show(kept.all[1]!)
    expect([jog.open, jog.tried]).toEqual([false, {}])
  })

  it('go back to pose and view, without what is gone since', async () => {
    const viewpoint = { ...openView(), bearing_deg: 77 }
    const view = { viewpoint, hidden: ['mast', 'nobody'], sections: [], uncut: [] }
    const kept = await opened([finding('a', 10, { view })])
    kept.show(kept.all[0]!)
    expect(useWhen().time).toBe(3)
    expect([...useWhat().hidden]).toEqual(['mast'])
    expect(useMeasure().picks).toHaveLength(2)
    expect(kept.at).toBe('a')
  })

  it('stand in groups: by what was picked first, by whether they changed, by time', async () => {
    const kept = await opened([
      finding('a', 10),
      finding('b', 5, { time_s: null }),
      finding('c', 7),
    ])
    const names = () => kept.groups.map((g) => `${g.name} ${g.kept.length}`)
    expect(names()).toEqual([' 3'])
    kept.grouping = 'state'
    expect(names()).toEqual(['Changed 1', 'Gone 1', 'As it was 1'])
    kept.grouping = 'time'
    expect(names()).toEqual(['On the path 2', 'At rest 1'])
    kept.grouping = 'item'
    expect(names()).toEqual(['Plate 3'])
    const shown = mounted(KeptList, pinia)
    expect(shown.get(byTest('kept-group')).text()).toBe('Plate (3)')
  })
})

const openView = () => ({
  pivot_mm: [0, 0, 0] as [number, number, number],
  bearing_deg: 0,
  elevation_deg: 0,
  roll_deg: 0,
  distance_mm: 1000,
  lens_mm: 35,
  projection: 'perspective' as const,
  width_mm: 1000,
})
