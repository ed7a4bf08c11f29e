import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin } from '../testing/standIn'
import { usePrograms } from '../when/programStore'
import MoveFields from './MoveFields.vue'
import MoveList from './MoveList.vue'

let pinia: Pinia
const pose = { xyz_mm: [1, 2, 3], rpy_deg: [0, 0, 90] }
beforeEach(() => {
  // Nothing is laid out here.
  vi.spyOn(HTMLElement.prototype, 'offsetHeight', 'get').mockReturnValue(400)
  vi.spyOn(HTMLElement.prototype, 'clientHeight', 'get').mockReturnValue(400)
  pinia = freshStores()
  openCell([
    { id: 'arm', name: 'Arm', role: 'robot' },
    { id: 'tcp', name: 'Nozzle', role: 'frame', parent: 'arm' },
    { id: 'table', name: 'Table' },
  ])
  const { cell } = useCell()
  const program = {
    id: 'seal',
    name: 'Seal',
    robot: 'arm',
    tcp: 'tcp',
    targets: [{ id: 'T1', frame: 'table', pose }],
    moves: [
      { move: 'joint', to: 'T1', speed_percent: 50 },
      { move: 'linear', to: 'T1', speed_mm_s: 250 },
      { move: 'wait', seconds: 2 },
    ],
  }
  Object.assign(cell!.document, {
    programs: [program],
    run_plan: { lanes: [{ programs: ['seal'] }] },
  })
  const run = { lane: 0, nth: 0, starts_s: [0, 1], ends_s: [1, 2] }
  const faults = [{ lane: 0, nth: 0, index: 2, reason: 'out of reach by 3.0 mm' }]
  Object.assign(cell!, { path: { duration_s: 9, runs: [run], faults } })
  begin({ 'POST /api/cells/{id}/edits': () => ({ ...cell, revision: cell!.revision + 1 }) })
})
const changes = () =>
  asked
    .filter((a) => a.what.endsWith('/edits'))
    .map((a) => (a.body as { edit: { change: object } }).edit.change)

describe('the moves of a program', () => {
  it('say what they are and when they begin; what can’t be driven is marked', async () => {
    const shown = mounted(MoveList, pinia)
    await nextTick()
    const rows = shown.findAll(byTest('move'))
    expect(rows.map((row) => row.text())).toEqual([
      '1joint to T100:00.000',
      '2linear to T100:01.000',
      '3wait 2 s–',
    ])
    expect(rows.map((row) => row.classes('fault'))).toEqual([false, false, true])
  })

  it('are selected by a click, with Shift up to there, and the path goes along', async () => {
    const shown = mounted(MoveList, pinia)
    await nextTick()
    const rows = shown.findAll(byTest('move'))
    await rows[1]!.trigger('click')
    expect(useMoment().time).toBe(2)
    await rows[0]!.trigger('click', { shiftKey: true })
    const on = rows.map((row) => row.attributes('aria-selected'))
    expect(on).toEqual(['true', 'true', 'false'])
  })

  it('are gone through, moved and deleted with keys', async () => {
    const programs = usePrograms()
    const list = mounted(MoveList, pinia).get(byTest('moves'))
    programs.select(0)
    await list.trigger('keydown', { key: 'ArrowDown' })
    expect(programs.at).toBe(1)
    await list.trigger('keydown', { key: 'ArrowDown', altKey: true })
    await list.trigger('keydown', { key: 'Delete' })
    await vi.waitFor(() => expect(changes()).toHaveLength(2))
    expect(changes()[0]).toEqual({ shift: { from: 1, count: 1, to: 2 } })
    expect(changes()[1]).toHaveProperty('remove')
  })
})

describe('the fields of a move', () => {
  const fields = (index: number) => {
    usePrograms().select(index)
    return mounted(MoveFields, pinia)
  }

  it('have the number its kind has', async () => {
    const names = [0, 1, 2].map((i) => fields(i).get(byTest('move-speed')).attributes('aria-label'))
    expect(names).toEqual(['Speed, %', 'Speed, mm/s', 'For, s'])
    const field = fields(1).get(byTest('move-speed'))
    await field.setValue('120,5')
    expect(changes()).toEqual([
      { replace: { at: 1, step: { move: 'linear', to: 'T1', speed_mm_s: 120.5 } } },
    ])
  })

  it('put back what is no speed', async () => {
    const field = fields(1).get<HTMLInputElement>(byTest('move-speed'))
    await field.setValue('-3')
    expect(field.element.value).toBe('250')
    expect(changes()).toEqual([])
  })

  it('show and take the numbers of its target, in the frame where it stands', async () => {
    const shown = fields(0)
    expect(shown.text()).toContain('in Table')
    const z = shown.get<HTMLInputElement>(byTest('target-Z'))
    expect(Number(z.element.value)).toBe(3)
    await z.setValue('33')
    const at = { xyz_mm: [1, 2, 33], rpy_deg: [0, 0, 90] }
    expect(changes()).toEqual([{ target: { id: 'T1', frame: 'table', pose: at } }])
  })

  it('rename the target, and not to nothing', async () => {
    const field = fields(0).get<HTMLInputElement>('[aria-label="Name of the target"]')
    await field.setValue(' ')
    expect(field.element.value).toBe('T1')
    await field.setValue('Over the rim')
    expect(changes()).toEqual([{ rename_target: { target: 'T1', id: 'Over the rim' } }])
  })

  it('offer the other kind of move', async () => {
    const shown = fields(0)
    expect(shown.get(byTest('other-kind')).text()).toBe('Make it linear')
    await shown.get(byTest('other-kind')).trigger('click')
    await nextTick()
    expect(changes()).toMatchObject([{ replace: { at: 0, step: { move: 'linear', to: 'T1' } } }])
    expect(fields(2).find(byTest('other-kind')).exists()).toBe(false)
  })
})
