import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { useWhat } from './whatStore'

/** A table with a fixture that carries two clamps of one mesh, and a post. */
function opened() {
  const item = (id: string, role: string, parent?: string) => ({ id, name: id, role, parent })
  const document = {
    items: [
      item('table', 'structure'),
      item('fixture', 'fixture', 'table'),
      item('clamp-1', 'fixture', 'fixture'),
      item('clamp-2', 'fixture', 'fixture'),
      item('post', 'structure'),
    ],
    visibility_sets: [
      { id: 'c', name: 'Clamps', items: ['clamp-1', 'clamp-2'] },
      { id: 'p', name: 'Post', items: ['post', 'clamp-1'] },
    ],
  }
  const mesh = { table: 'a', fixture: 'b', 'clamp-1': 'c', 'clamp-2': 'c', post: 'd' }
  const bodies = Object.entries(mesh).map(([item, mesh]) => ({ item, mesh }))
  useCell().cell = { id: '1', document, bodies } as unknown as Cell
  return useWhat()
}
const sorted = (ids: Iterable<string>) => [...ids].sort().join(' ')

describe('what is shown', () => {
  beforeEach(() => freshStores())

  it('hides with what hangs on it, and a child can be shown though its parent is hidden', () => {
    const what = opened()
    what.hide(['table'])
    expect(sorted(what.visible)).toBe('post')
    what.show(['clamp-1'])
    expect(sorted(what.visible)).toBe('clamp-1 post')
  })

  it('shows everything of another cell, and nothing lies before that', async () => {
    const what = opened()
    what.hide(['fixture'])
    await nextTick()
    useCell().cell = { ...useCell().cell!, id: '2' }
    what.restore()
    await nextTick()
    expect([what.hiddenCount, what.past.length]).toEqual([0, 0])
  })

  it('isolates what was hidden, and comes back to just what was shown', () => {
    const what = opened()
    what.hide(['fixture', 'post'])
    const before = what.shownNow()
    what.isolateOnly(['clamp-1', 'post'])
    expect(sorted(what.visible)).toBe('clamp-1 post')
    what.showJust(before)
    expect(sorted(what.visible)).toBe('table')
  })

  it('isolates with what hangs on it or alone, with the rest gone or ghosted', () => {
    const what = opened()
    what.isolate(['fixture'], true)
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 fixture')
    expect(sorted(what.ghosts)).toBe('post table')
    what.isolateOnly(['fixture'])
    expect(sorted(what.visible)).toBe('fixture')
  })

  it('shows what any ticked set holds, and nothing else', () => {
    const what = opened()
    what.toggleSet('c')
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2')
    what.toggleSet('p')
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 post')
    what.hide(['clamp-1'])
    expect(sorted(what.visible)).toBe('clamp-2 post')
    what.toggleSet('c')
    expect(sorted(what.visible)).toBe('post')
    what.show(['table'])
    expect(what.sets.size).toBe(0)
  })

  it('goes back and forward through all of it', async () => {
    const what = opened()
    what.hide(['post'])
    await nextTick()
    what.isolate(['fixture'])
    await nextTick()
    what.toggleSet('c')
    await nextTick()
    what.shownBefore()
    await nextTick()
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 fixture')
    what.shownBefore()
    await nextTick()
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 fixture table')
    what.shownAgain()
    await nextTick()
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 fixture')
    what.shownBefore()
    await nextTick()
    what.shownBefore()
    await nextTick()
    expect(what.visible.size).toBe(5)
    expect(what.past).toHaveLength(0)
    what.hide(['table'])
    await nextTick()
    expect(what.future).toHaveLength(0)
  })

  it('inverts what is shown', () => {
    const what = opened()
    what.hide(['fixture'])
    what.invertShown()
    expect(sorted(what.visible)).toBe('clamp-1 clamp-2 fixture')
  })
})

describe('the selection', () => {
  beforeEach(() => freshStores())

  it('takes all of the same role, of the same mesh, and what carries it', () => {
    const what = opened()
    what.select('clamp-1')
    what.selectLike('mesh')
    expect(sorted(what.selected)).toBe('clamp-1 clamp-2')
    what.selectLike('parent')
    expect(sorted(what.selected)).toBe('fixture')
    what.selectLike('role')
    expect(sorted(what.selected)).toBe('clamp-1 clamp-2 fixture')
  })

  it('never holds what is hidden or deleted', async () => {
    const what = opened()
    what.hide(['post'])
    what.selectAll()
    expect(what.selected.has('post')).toBe(false)
    const cell = useCell()
    const items = cell.cell!.document.items.filter((i) => i.id !== 'clamp-2')
    cell.cell = { ...cell.cell!, document: { ...cell.cell!.document, items } }
    await nextTick()
    expect(sorted(what.selected)).toBe('clamp-1 fixture table')
  })
})
