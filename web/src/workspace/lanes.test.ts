import { describe, expect, it, vi } from 'vitest'

import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { usePrograms } from '../when/programStore'
import { useWhen } from '../when/whenStore'
import LaneFaults from './LaneFaults.vue'
import { handsOf, laneCount, meetingsOf, runsOf } from './lanes'
import ProgramLanes from './ProgramLanes.vue'

const sync = { move: 'sync', mark: 'both' }
const wait = { move: 'wait', seconds: 1 }
const programs = [
  { id: 'a', name: 'Load', robot: 'arm', moves: [wait, sync, wait, sync] },
  { id: 'b', name: 'Press', robot: 'press', moves: [sync, { move: 'take', item: 'ring' }, sync] },
]
const lanes = [{ programs: ['a'] }, { programs: ['b'] }]
const names = { robot: 'Arm', program: 'Load' }
const press = { robot: 'Press', program: 'Press' }
const runs = [
  { lane: 0, nth: 0, ...names, starts_s: [0, 2, 2, 5], ends_s: [2, 2, 5, 5] },
  { lane: 1, nth: 0, ...press, starts_s: [0.5, 2, 6], ends_s: [0.5, 2, 6] },
]
const faults = [{ lane: 1, nth: 0, index: 2, reason: 'out of reach', at_s: 6, target: null }]
function opened() {
  const pinia = freshStores()
  openCell([{ id: 'ring', name: 'Ring', role: 'part' }])
  const { cell } = useCell()
  Object.assign(cell!.document, { programs, run_plan: { lanes } })
  Object.assign(cell!, { path: { duration_s: 6, runs, faults } })
  begin({})
  return { pinia, cell: cell as Cell }
}
const x = (time: number) => time * 10

describe('lanes', () => {
  it('tell from when until when programs run, and where parts are handled', () => {
    const { cell } = opened()
    expect(laneCount(cell)).toBe(2)
    expect(runsOf(cell)).toEqual([
      { lane: 0, name: 'Load', robot: 'Arm', start: 0, end: 5 },
      { lane: 1, name: 'Press', robot: 'Press', start: 0.5, end: 6 },
    ])
    expect(handsOf(cell)).toEqual([{ lane: 1, at: 2, takes: true, item: 'ring' }])
  })

  it('meet at a mark as often as both have it; the last to come lets all go on', () => {
    const meetings = meetingsOf(opened().cell)
    expect(meetings.map((m) => [m.mark, m.at])).toEqual([
      ['both', 2],
      ['both', 6],
    ])
    const waits = [
      { lane: 0, time: 2 },
      { lane: 1, time: 0.5 },
    ]
    expect(meetings[0]!.lanes).toEqual(waits)
  })

  it('are drawn with both, and say what they are', () => {
    const { pinia } = opened()
    const shown = mounted(ProgramLanes, pinia, { x })
    const [first] = shown.findAll(byTest('meeting'))
    expect(first!.get('title').text()).toContain('“both”, 00:02')
    const [line, ...waits] = first!.findAll('line')
    expect([line!.attributes('x1'), line!.attributes('x2')]).toEqual(['20', '20'])
    expect(waits.map((w) => w.attributes('x1'))).toEqual(['20', '5'])
    expect(shown.get(byTest('hand')).text()).toContain('Takes Ring')
  })

  it('end at what can’t be driven, which a click shows', async () => {
    const { pinia } = opened()
    const mark = mounted(LaneFaults, pinia, { x, width: 300 }).get(byTest('strip-fault'))
    expect(mark.attributes('title')).toBe('Move 3 can’t be driven: out of reach')
    await mark.trigger('click')
    const store = usePrograms()
    await vi.waitFor(() =>
      expect([store.open, store.program?.id, store.at]).toEqual([true, 'b', 2]),
    )
    expect(useWhen().time).toBe(6)
  })
})
