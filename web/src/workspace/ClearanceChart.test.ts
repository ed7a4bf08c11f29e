import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Cell, Findings, Pair } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useWhen } from '../when/whenStore'
import ClearanceChart from './ClearanceChart.vue'

let pinia: Pinia
const run = (lane: number, program: string, starts_s: number[], ends_s: number[]) => ({
  ...{ lane, nth: 0, program, robot: `R${lane + 1} arm` },
  ...{ starts_s, ends_s },
})
function opened(path: Partial<Cell['path']>) {
  pinia = freshStores()
  begin({ 'GET /api/cells/{id}/poses': () => [] })
  openCell([{ id: 'table' }], 'c', { path: { duration_s: 10, runs: [], ...path } } as never)
}
beforeEach(() => opened({ runs: [run(0, 'Seal', [0, 4], [4, 9]), run(1, 'Load', [2], [6])] }))
function swept(by: Partial<Findings> = {}) {
  const findings = useFindings()
  findings.findings = {
    rules: [
      { required_mm: 80, pairs: 2 },
      { required_mm: 10, pairs: 3 },
      { required_mm: 10, pairs: 1 },
      { required_mm: 99, pairs: 0 },
    ],
    band: { ceiling_mm: 200, edges_s: [0, 5, 10], lower_mm: [20, 3], attained_mm: [21, 4] },
    ...by,
  } as unknown as Findings
  findings.pairs = [
    {
      a: { name: 'Hook' },
      b: { name: 'Post' },
      verdict: 'broken',
      attained_mm: 4,
      time_s: 5,
      broken: [{ start_s: [4.9, 4.91], end_s: [5.1, 5.2] }],
    },
    { a: { name: 'Far' }, b: { name: 'Post' }, verdict: 'meets', broken: [] },
  ] as unknown as Pair[]
  return findings
}
const chart = () => mounted(ClearanceChart, pinia)

describe('the chart of clearances along the path', () => {
  it('has a bar for each program, as long as all its moves', () => {
    const labels = chart().findAll('.label:not(.axis)')
    expect(labels.map((l) => l.text())).toEqual(['R1 · Seal', 'R2 · Load'])
    expect(chart().findAll('.program')).toHaveLength(2)
  })

  it('names its unit and says that its scale is not linear', () => {
    swept()
    expect(chart().get('.axis').text()).toContain('mm, square-root scale')
  })

  it('draws a line for each clearance that is required, once, if any pair has it', () => {
    swept()
    const shown = chart()
    expect(shown.findAll('.rule')).toHaveLength(2)
    expect(shown.findAll('.scale span').map((s) => s.text())).toEqual(['10', '80'])
  })

  it('marks what breaks a rule, when, and nothing that holds', () => {
    swept()
    const shown = chart()
    expect(shown.findAll('.breach')).toHaveLength(1)
    const marks = shown.findAll('.mark')
    expect(marks).toHaveLength(1)
    expect(marks[0]!.attributes('title')).toBe('broken: Hook – Post, 4.0 mm at 00:05.000')
  })

  it('goes to the evidence of a mark', async () => {
    const findings = swept()
    findings.showEvidence = vi.fn()
    await chart().get('.mark').trigger('click')
    expect(findings.showEvidence).toHaveBeenCalledWith(findings.pairs[0])
  })

  it('is gone along by keys, finer with Shift', async () => {
    const [shown, when] = [chart(), useWhen()]
    const press = (key: string, shiftKey = false) =>
      shown.get(byTest('scrubber')).trigger('keydown', { key, shiftKey })
    await press('PageUp')
    await press('ArrowRight')
    await press('ArrowLeft', true)
    expect(when.time).toBeCloseTo(1.036, 9)
    await press('End')
    expect(when.time).toBe(10)
    expect(shown.get(byTest('scrubber')).attributes('aria-valuetext')).toBe('00:10.000')
  })

  it('says why there is nothing to play', async () => {
    swept()
    expect(chart().find('.mark').exists()).toBe(true)
    opened({ fault: 'R1 can’t reach P10' })
    expect(chart().find('.mark').exists()).toBe(false)
    expect(chart().get('[role=alert]').text()).toContain('R1 can’t reach P10')
    opened({ duration_s: 0 })
    await nextTick()
    expect(chart().text()).toContain('This cell has no run plan: nothing moves.')
  })
})
