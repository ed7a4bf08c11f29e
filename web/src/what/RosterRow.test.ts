import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import RosterRow from './RosterRow.vue'
import { useWhat } from './whatStore'

let pinia: Pinia
beforeEach(() => {
  document.body.innerHTML = ''
  pinia = freshStores()
  openCell([
    { id: 'table', name: 'Table', notes: 'level it first' },
    { id: 'clamp', name: 'Clamp', role: 'fixture', parent: 'table', locked: true },
  ])
})
function row(id: string, by: Record<string, unknown> = {}) {
  const item = useCell().items.get(id)!
  const about = { row: { item, depth: 1, branch: id === 'table' }, index: 4, count: 9 }
  return mounted(RosterRow, pinia, { ...about, closed: false, renaming: false, ...by })
}

describe('a row of the roster', () => {
  it('says where it stands in the tree', () => {
    const tree = row('table')
    expect(tree.attributes()).toMatchObject({
      id: 'row-table',
      role: 'treeitem',
      'aria-level': '2',
      'aria-posinset': '5',
      'aria-setsize': '9',
      'aria-expanded': 'true',
      'aria-selected': 'false',
    })
    expect(row('clamp').attributes('aria-expanded')).toBeUndefined()
  })

  it('says its role and its notes on hover', () => {
    expect(row('table').get('.name').attributes('title')).toBe('Table, structure: level it first')
    expect(row('clamp').get('.name').attributes('title')).toBe('Clamp, fixture')
    expect(row('clamp').get('svg title').text()).toBe('fixture')
  })

  it('shows what is selected, pointed at and hidden', async () => {
    const what = useWhat()
    const tree = row('clamp')
    what.select('clamp')
    what.hovered = 'clamp'
    await nextTick()
    expect(tree.classes()).toEqual(expect.arrayContaining(['selected', 'hovered']))
    what.select(null)
    what.hide(['clamp'])
    await nextTick()
    expect(tree.classes()).toContain('gone')
    expect(tree.attributes('aria-selected')).toBe('false')
  })

  it('hides and shows by its eye, and says which', async () => {
    const what = useWhat()
    const tree = row('clamp')
    const eye = tree.get('.eye')
    expect(eye.attributes('aria-label')).toBe('Hide Clamp')
    await eye.trigger('click')
    expect(what.visible.has('clamp')).toBe(false)
    expect(eye.attributes('aria-label')).toBe('Show Clamp')
    await eye.trigger('click')
    expect(what.visible.has('clamp')).toBe(true)
  })

  it('points at itself in the picture while the pointer is on it', async () => {
    const what = useWhat()
    const tree = row('clamp')
    await tree.trigger('mouseenter')
    expect(what.hovered).toBe('clamp')
    await tree.trigger('mouseleave')
    expect(what.hovered).toBeNull()
  })

  it('unfolds by its twist without being selected by that', async () => {
    const tree = row('table', { closed: true })
    expect(tree.get('.twist').attributes('aria-label')).toBe('Expand')
    await tree.get('.twist').trigger('click')
    expect(tree.emitted('twist')).toHaveLength(1)
    expect(row('clamp').find('button.twist').exists()).toBe(false)
  })

  it('is renamed in place: by Enter or by leaving, not by Escape', async () => {
    const tree = row('clamp')
    await tree.setProps({ renaming: true })
    const field = tree.get<HTMLInputElement>(byTest('renaming'))
    field.element.value = '  Clamp A1 '
    await field.trigger('keydown', { key: 'Enter' })
    await field.trigger('keydown', { key: 'Escape' })
    expect(tree.emitted('named')).toEqual([['Clamp A1'], [null]])
  })

  it('shows that it is locked', () => {
    expect(row('clamp').find('.lock').exists()).toBe(true)
    expect(row('table').find('.lock').exists()).toBe(false)
  })
})
