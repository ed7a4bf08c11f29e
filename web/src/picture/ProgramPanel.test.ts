import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNaming } from '../cell/namingStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import { usePrograms } from '../when/programStore'
import ProgramPanel from './ProgramPanel.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
})

/** The panel on a program of an arm, with a TCP or without, and with what can't be driven. */
function panel(tcp: string | null, faults: Record<string, unknown>[] = []) {
  openCell([
    { id: 'arm', name: 'Arm', role: 'robot' },
    { id: 'tcp', name: 'TCP', role: 'frame', parent: 'arm' },
  ])
  const { cell } = useCell()
  const moves = [{ move: 'wait', seconds: 2 }]
  const program = { id: 'p', name: 'Seal', robot: 'arm', tcp, targets: [], moves }
  const run_plan = { lanes: [{ programs: ['p'], start_s: 0.042857 }] }
  Object.assign(cell!.document, { programs: [program], run_plan })
  Object.assign(cell!, { joints: [], path: { duration_s: 2, runs: [], faults } })
  begin({ 'POST /api/cells/{id}/lead-in': () => ({ ...cell, revision: 2 }) })
  usePrograms().open = true
  return mounted(ProgramPanel, pinia)
}
const others = (shown: ReturnType<typeof panel>) =>
  shown.findAll(`${byTest('add-other')} option`).map((option) => option.text())

describe('the panel of programs', () => {
  it('offers what a program with a TCP can do, and without one what it can', () => {
    const all = ['More…', 'Circular: goes over here', 'Targets from a CSV file…']
    const always = ['Take', 'Release', 'Wait', 'Sync mark']
    const shown = panel('tcp')
    expect(others(shown)).toEqual([...all, ...always])
    expect(shown.find(byTest('targets-csv')).exists()).toBe(true)
    shown.unmount()
    const without = panel(null)
    expect(others(without)).toEqual(['More…', ...always])
    expect(without.find(byTest('targets-csv')).exists()).toBe(false)
    expect(without.find(byTest('add-linear')).exists()).toBe(false)
  })

  it('tells when its lane begins to the millisecond', () => {
    const starts = panel('tcp').get('[aria-label="When its lane begins, s"]')
    expect((starts.element as HTMLInputElement).value).toBe('0.043')
  })

  it('goes first to where a recording begins, and offers it for nothing else', async () => {
    const fault = { lane: 0, nth: 0, index: 0, reason: 'it stands elsewhere', at_s: 0 }
    const other = panel('tcp', [{ ...fault, begins_elsewhere: false }])
    expect(other.get(byTest('program-fault')).text()).toContain('it stands elsewhere')
    expect(other.find(byTest('lead-in')).exists()).toBe(false)
    other.unmount()
    const shown = panel('tcp', [{ ...fault, begins_elsewhere: true }])
    await shown.get(byTest('lead-in')).trigger('click')
    await settled()
    expect(asked.map((a) => a.what)).toContain('POST /api/cells/{id}/lead-in')
  })

  it('asks for the name of a sync mark', async () => {
    const shown = panel(null)
    await shown.get(byTest('add-other')).setValue('Sync mark')
    await nextTick()
    expect(useNaming().asked?.title).toBe('Name of the mark')
  })
})
