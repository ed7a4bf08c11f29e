import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin } from '../testing/standIn'
import MayTouch from './MayTouch.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  openCell([
    { id: 'arm', name: 'Arm', role: 'robot' },
    { id: 'rest', name: 'Rest' },
  ])
  const { cell } = useCell()
  const pair = { a: 'arm/tool', b: 'rest', reason: 'it is set down', max_depth_mm: 0.5 }
  Object.assign(cell!.document, { rules: [], may_touch: [{ ...pair, during: [{}] }] })
  begin({ 'POST /api/cells/{id}/edits': () => ({ ...cell, revision: cell!.revision + 1 }) })
})
const edits = () => asked.map((a) => (a.body as { edit: object }).edit)

describe('pairs that may touch', () => {
  it('say who, why, and within which limits', () => {
    const row = mounted(MayTouch, pinia).get(byTest('may-touch'))
    expect(row.text()).toContain('Arm tool – Rest')
    expect(row.text()).toContain('it is set down, up to 0.5 mm deep, during some moves')
  })

  it('are kept apart again', async () => {
    await mounted(MayTouch, pinia)
      .get(`${byTest('may-touch')} button`)
      .trigger('click')
    expect(edits()).toEqual([{ edit: 'keep_apart', a: 'arm/tool', b: 'rest' }])
  })

  it('are added once it is said who and why', async () => {
    const shown = mounted(MayTouch, pinia)
    const add = shown.get(byTest('may-touch-add'))
    expect(add.attributes('disabled')).toBeDefined()
    const [one, other] = shown.findAll('select')
    await one!.setValue('arm')
    await other!.setValue('arm')
    await shown.get('.reason').setValue('welded')
    expect(add.attributes('disabled')).toBeDefined()
    await other!.setValue('rest')
    await add.trigger('click')
    const pair = { a: 'arm', b: 'rest', reason: 'welded', max_depth_mm: null }
    expect(edits()).toEqual([{ edit: 'let_touch', pair }])
  })
})
