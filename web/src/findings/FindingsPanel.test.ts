import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import type { Findings } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import FindingsPanel from './FindingsPanel.vue'
import { useFindings } from './findingsStore'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  begin({})
  openCell([
    { id: 'robot', name: 'Robot 1', role: 'robot' },
    { id: 'tcp', name: 'TCP', role: 'frame' },
  ])
})

function swept(by: Partial<Findings> = {}) {
  const findings = useFindings()
  findings.findings = {
    counts: { broken: 0, tight: 0, not_certified: 0, meets: 0 },
    rules: [{ name: 'All', reasons: [], pairs: 0 }],
    reach: { rows: [] },
    left_out: [],
    left_out_count: 0,
    caveats: [],
    verdict: 'meets',
    took_s: 8.6,
    ...by,
  } as unknown as Findings
  return findings
}
const panel = () => mounted(FindingsPanel, pinia)
const selected = (shown: ReturnType<typeof panel>) =>
  shown.findAll('[role=tab]').map((tab) => tab.attributes('aria-selected'))

describe('the panel of findings', () => {
  it('goes from tab to tab by the arrows, round and round, and the focus goes along', async () => {
    swept()
    const shown = panel()
    const tabs = shown.get('[role=tablist]')
    expect(selected(shown)).toEqual(['true', 'false', 'false', 'false', 'false'])
    await tabs.trigger('keydown', { key: 'ArrowLeft' })
    await nextTick()
    expect(selected(shown)).toEqual(['false', 'false', 'false', 'false', 'true'])
    expect(document.activeElement?.textContent?.trim()).toBe('Access')
    await tabs.trigger('keydown', { key: 'ArrowRight' })
    expect(selected(shown)).toEqual(['true', 'false', 'false', 'false', 'false'])
    await tabs.trigger('keydown', { key: 'End' })
    expect(selected(shown)).toEqual(['false', 'false', 'false', 'false', 'true'])
    await tabs.trigger('keydown', { key: 'Home' })
    expect(selected(shown)).toEqual(['true', 'false', 'false', 'false', 'false'])
  })

  it('has one tab in the order of the keys, which names the panel', async () => {
    const shown = panel()
    expect(shown.findAll('[role=tab]').map((t) => t.attributes('tabindex'))).toEqual([
      '0',
      '-1',
      '-1',
      '-1',
      '-1',
    ])
    const list = shown.get('[role=tabpanel]')
    expect(list.attributes('aria-labelledby')).toBe('tab-clearance')
    expect(shown.find('#tab-clearance').exists()).toBe(true)
  })

  it('says what all rules come to, or came to at the last sweep once things changed', async () => {
    const findings = swept({ verdict: 'broken' } as Partial<Findings>)
    const shown = panel()
    await nextTick()
    expect(findings.fresh).toBe(false)
    expect(shown.get(byTest('overall')).text()).toBe('At the last sweep: Rules are broken')
    expect(shown.text()).toContain('The model has changed since.')
  })

  it('tells how far a sweep is, and how long it takes once that can be judged', async () => {
    const findings = swept()
    const job = { id: 'j', done: 1, total: 4, elapsed_s: 0.2, waiting: false }
    findings.job = job as typeof findings.job
    const shown = panel()
    expect(shown.get('.job').text()).toContain('25 %')
    expect(shown.get('.job').text()).not.toContain('left')
    findings.job = { ...job, done: 2, elapsed_s: 6 } as typeof findings.job
    await nextTick()
    expect(shown.get('.job').text()).toContain('50 % · 6 s left')
    findings.job = { ...job, waiting: true } as typeof findings.job
    await nextTick()
    expect(shown.get(byTest('job-waits')).text()).toBe('waits its turn')
  })

  it('says that a sweep was lost, and why', () => {
    useFindings().lost = 'the server was stopped'
    expect(panel().get(byTest('lost')).text()).toContain('was lost: the server was stopped.')
  })

  it('lists what was not looked at, but not beside what is measured by hand', async () => {
    swept({ caveats: [{ text: 'Hoses are not in the model' }] } as Partial<Findings>)
    const shown = panel()
    expect(shown.get(byTest('caveats')).text()).toContain('Not looked at, or assumed (1)')
    await shown.get(byTest('tab-measured')).trigger('click')
    expect(shown.find(byTest('caveats')).exists()).toBe(false)
  })

  it('shows the reach to spare at each target, and why it is not told', async () => {
    const row = {
      program: 'Seal',
      label: 'P10',
      time_s: 2,
      robot_name: 'Robot 1',
      straight_mm: 1234.56,
      spare_percent: 12.34,
      verdict: null,
      reason: 'it has no reach',
    }
    swept({ reach: { rows: [row] } } as unknown as Partial<Findings>)
    const shown = panel()
    await shown.get(byTest('tab-reach')).trigger('click')
    const text = shown.get(byTest('reach-row')).text()
    expect(text).toContain('Seal, P10')
    expect(text).toContain('12.3 %')
    expect(text).toContain('no rule')
    expect(text).toContain('it has no reach')
  })

  it('opens what stands above the findings from any tab, and closes it there', async () => {
    const findings = swept()
    begin({ 'GET /api/cells/{id}/variants': () => [] })
    const shown = panel()
    findings.tab = 'measured'
    await nextTick()
    const opens = () => shown.get(byTest('open-variants'))
    await opens().trigger('click')
    expect(findings.tab).toBe('clearance')
    expect(shown.find(byTest('variants')).exists()).toBe(true)
    findings.tab = 'access'
    await nextTick()
    expect(opens().attributes('aria-pressed')).toBe('false')
    await opens().trigger('click')
    expect(findings.tab).toBe('clearance')
    await opens().trigger('click')
    expect(shown.find(byTest('variants')).exists()).toBe(false)
  })
})
