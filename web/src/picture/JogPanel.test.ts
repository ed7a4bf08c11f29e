import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { useJog } from '../when/jogStore'
import JogPanel from './JogPanel.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  const joint = { item: 'arm', turns: true, low: -90, high: 90, rest: 0 }
  openCell(
    [
      { id: 'arm', name: 'Arm', role: 'robot' },
      { id: 'tcp', name: 'Nozzle', role: 'frame', parent: 'arm' },
    ],
    'c',
    {
      joints: [
        { ...joint, key: 'arm/q1', name: 'q1' },
        { ...joint, key: 'arm/lift', name: 'lift', turns: false, low: null, high: null },
      ] as never,
    },
  )
})
function panel(answer: object = {}) {
  const jog = useJog()
  jog.begin('arm')
  jog.answer = {
    joints_deg_or_mm: { 'arm/q1': 12, 'arm/lift': 30 },
    nodes: [],
    poses: [],
    nearest: [],
    stopped: null,
    tcp: null,
    ...answer,
  } as never
  return { shown: mounted(JogPanel, pinia), jog }
}
const tcp = {
  pose: { xyz_mm: [100, 200, 300], rpy_deg: [0, 0, 45] },
  world: [0.1, 0.2, 0.3, 0, 0, 0, 1],
  axes: [0, 0, 0, 0, 0, 0, 1],
  singular: false,
  postures: [
    { name: 'front, elbow up, wrist +', now: true, joints_deg_or_mm: {} },
    { name: 'back, elbow up, wrist −', now: false, joints_deg_or_mm: { 'arm/q1': -60 } },
  ],
}

describe('the panel to jog', () => {
  it('has a slider and a number for each joint, within its limits', async () => {
    const { shown, jog } = panel()
    const slider = shown.get(byTest('slide-q1'))
    expect([slider.attributes('min'), slider.attributes('max')]).toEqual(['-90', '90'])
    expect((shown.get(byTest('joint-lift')).element as HTMLInputElement).value).toBe('30.000')
    await slider.setValue('40')
    expect(jog.tried['arm/q1']).toBe(40)
    await shown.get(byTest('joint-q1')).trigger('keydown', { key: 'ArrowUp' })
    expect(jog.tried['arm/q1']).toBe(41)
    jog.set('arm/q1', 89.9)
    await nextTick()
    expect(slider.classes()).toContain('limit')
  })

  it('tells the TCP in numbers, the other ways to stand there, and singularities', async () => {
    const { shown, jog } = panel({ tcp })
    expect((shown.get(byTest('tcp-Y')).element as HTMLInputElement).value).toBe('200.000')
    expect(shown.find(byTest('jog-singular')).exists()).toBe(false)
    expect(shown.text()).toContain('Posture: front, elbow up, wrist +')
    await shown.get(byTest('jog-posture')).trigger('click')
    expect(jog.tried['arm/q1']).toBe(-60)
    const { shown: other } = panel({ tcp: { ...tcp, singular: true } })
    expect(other.get(byTest('jog-singular')).text()).toContain('singularity')
  })

  it('warns at the rule, and says why it stopped', () => {
    const near = { a: 'Hook', b: 'Post', required_mm: 10 }
    const verdicts = ['broken', 'tight', 'not_certified']
    const nearest = verdicts.map((verdict, i) => ({ ...near, verdict, distance_mm: 4 + i }))
    const { shown } = panel({ nearest, stopped: 'out of reach by 3.0 mm' })
    const marks = shown.findAll('.near [role=img]').map((mark) => mark.attributes('aria-label'))
    expect(marks).toEqual(['broken', 'tight', 'not certified'])
    expect(shown.get(byTest('jog-stopped')).text()).toBe('Stopped: out of reach by 3.0 mm')
  })
})
