import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import JointTable from './JointTable.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  const joint = (name: string, assumed: boolean) => ({
    key: `arm/${name}`,
    item: 'arm',
    name,
    turns: true,
    low: -90,
    high: 90,
    velocity: 180,
    acceleration: 720,
    velocity_assumed: assumed,
  })
  openCell([{ id: 'arm', name: 'Arm', role: 'robot' }], 'c', {
    joints: [joint('q1', false), joint('q2', true)] as never,
  })
  const mechanism = { velocity_deg_or_mm_s: { q1: 180 } }
  useCell().cell!.document.items[0]!.mechanism = mechanism as never
  begin({ 'POST /api/cells/{id}/edits': () => ({ ...useCell().cell, revision: 2 }) })
})
const table = () => mounted(JointTable, pinia, { item: 'arm' })
const type = async (shown: ReturnType<typeof table>, test: string, text: string) => {
  await shown.get(byTest(test)).setValue(text)
  await shown.get(byTest(test)).trigger('change')
  await settled()
}
const limits = () => {
  const edit = (asked.at(-1)!.body as { edit: { change: { limits: unknown } } }).edit
  return edit.change.limits
}

describe('the joints of a mechanism', () => {
  it('mark speeds that nobody said', () => {
    const shown = table()
    expect(shown.get(byTest('speed-q2')).classes()).toContain('assumed')
    expect(shown.get(byTest('speed-q1')).classes()).not.toContain('assumed')
    expect(shown.text()).toContain('Speeds in italics are assumed')
  })

  it('take limits by hand and keep what else was said', async () => {
    const shown = table()
    await type(shown, 'high-q1', '45')
    expect(limits()).toEqual({
      joint: 'q1',
      range_deg_or_mm: [-90, 45],
      velocity_deg_or_mm_s: 180,
      acceleration_deg_or_mm_s2: null,
    })
    await type(shown, 'gain-q2', '500')
    expect(limits()).toMatchObject({ joint: 'q2', acceleration_deg_or_mm_s2: 500 })
  })

  it('are as described again where something was said', async () => {
    const shown = table()
    expect(shown.findAll('.again').length).toBe(1)
    await shown.get('.again').trigger('click')
    await settled()
    expect(limits()).toMatchObject({ joint: 'q1', velocity_deg_or_mm_s: null })
  })
})
