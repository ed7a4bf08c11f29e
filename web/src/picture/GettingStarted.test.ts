import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { useRules } from '../findings/rulesStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useStandpoint } from '../where/standpointStore'
import GettingStarted from './GettingStarted.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  begin({ 'GET /api/cells/{id}/touching': () => [] })
})
const joints = [{ key: 'arm/q1', item: 'arm' }] as never
function cellOf(items: { id: string; role?: string }[], more: object = {}, some: object = {}) {
  openCell(items, 'c', { joints: [], ...more } as never)
  Object.assign(useCell().cell!.document, some)
}
const missing = () => {
  const shown = mounted(GettingStarted, pinia)
  const parts = shown.findAll('[data-test^=lacking-]')
  return parts.map((part) => part.attributes('data-test')!.replace('lacking-', ''))
}

describe('what a cell still lacks', () => {
  it('is everything in an empty one', () => {
    cellOf([])
    expect(missing()).toEqual(['robot', 'surroundings', 'motion', 'rule'])
  })

  it('vanishes part by part, and all of it when nothing lacks', () => {
    cellOf([{ id: 'arm', role: 'robot' }], { joints })
    expect(missing()).toEqual(['surroundings', 'motion', 'rule'])
    const all = { rules: [{ id: 'r' }], run_plan: { lanes: [{ programs: ['p'] }] } }
    cellOf([{ id: 'arm', role: 'robot' }, { id: 'post' }], { joints }, all)
    expect(mounted(GettingStarted, pinia).find(byTest('lacking')).exists()).toBe(false)
  })

  it('leads to what mends it, and is told no more when that is asked', async () => {
    cellOf([{ id: 'post' }])
    const shown = mounted(GettingStarted, pinia)
    await shown.get('[data-test=lacking-rule] button').trigger('click')
    expect(useRules().open).toBe(true)
    await shown.get('[aria-label="Say no more of it"]').trigger('click')
    expect(shown.find(byTest('lacking')).exists()).toBe(false)
  })

  it('does not stand in the way of somebody who stands in the cell', async () => {
    cellOf([{ id: 'post' }])
    const shown = mounted(GettingStarted, pinia)
    expect(shown.find(byTest('lacking')).exists()).toBe(true)
    useStandpoint().mode = 'foot'
    await nextTick()
    expect(shown.find(byTest('lacking')).exists()).toBe(false)
  })
})
