import { beforeEach, describe, expect, it } from 'vitest'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled } from '../testing/standIn'
import ShiftFinder from './ShiftFinder.vue'

const FIND = 'POST /api/cells/{id}/smallest-shift'
const found = { by_mm: [9.6, -4, 0], length_mm: 10.4, smallest: true, sweeps: 30, said: '' }

describe('the smallest shift', () => {
  let answer: unknown
  let shown: ReturnType<typeof mounted>
  beforeEach(async () => {
    const pinia = freshStores()
    answer = found
    begin({
      'POST /api/cells/{id}/facts': () => [],
      'POST /api/cells/{id}/masses': () => [],
      [FIND]: () => answer,
    })
    openCell([{ id: 'clamp' }, { id: 'post' }])
    shown = mounted(ShiftFinder, pinia, { subject: { items: ['clamp'] }, frame: 'parent' })
    await settled()
  })
  const find = async () => {
    await shown.get(byTest('find-shift')).trigger('click')
    await settled()
  }

  it('is looked for along the axes chosen, and taken by a click', async () => {
    await shown.get(byTest('shift-along')).setValue('Z')
    await find()
    const { body } = asked.find((a) => a.what === FIND)!
    expect(body).toMatchObject({ items: ['clamp'], frame: 'parent', axes: [2] })
    expect(shown.get(byTest('shift-found')).text()).toContain('10.4')
    await shown.get(byTest('take-shift')).trigger('click')
    const by = { xyz_mm: [9.6, -4, 0], rpy_deg: [0, 0, 0] }
    const arranged = { shift: { frame: 'world', by, about_mm: null } }
    expect(shown.emitted('arrange')).toEqual([[arranged]])
  })

  it('says whether a shorter one may do as well', async () => {
    answer = { ...found, smallest: false }
    await find()
    expect(shown.get(byTest('take-shift')).attributes('title')).toContain('a shorter one may')
  })

  it('is told of in words where there is none, or nothing is wrong', async () => {
    answer = { by_mm: null, length_mm: 0, smallest: false, sweeps: 9, said: 'No shift helps.' }
    await find()
    expect(shown.get(byTest('shift-said')).text()).toBe('No shift helps.')
    expect(shown.find(byTest('shift-found')).exists()).toBe(false)
    answer = new Refusal(422, 'The run plan can’t be run.')
    await find()
    expect(shown.get(byTest('shift-said')).text()).toContain('can’t be run')
  })

  it('is forgotten with the selection it is of, and can be stopped', async () => {
    await find()
    await shown.setProps({ subject: { items: ['post'] } })
    await settled()
    expect(shown.find(byTest('shift-found')).exists()).toBe(false)
    answer = new Promise(() => undefined)
    await find()
    await shown.get(byTest('stop-shift')).trigger('click')
    expect(shown.find(byTest('find-shift')).exists()).toBe(true)
  })

  it('of a target is said to be of the moves to and from it', async () => {
    const target = { program: 'seal', target: 'B' }
    await shown.setProps({ subject: { target }, frame: 'own' })
    answer = { ...found, smallest: false }
    await find()
    const { body } = asked.find((a) => a.what === FIND)!
    expect(body).toMatchObject({ target, frame: 'own' })
    const said = shown.get(byTest('take-shift')).attributes('title')
    expect(said).toContain('the moves to and from it keep their rules')
  })
})
