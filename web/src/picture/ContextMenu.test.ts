import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Hit } from '../scene/picking'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import ContextMenu from './ContextMenu.vue'

let pinia: Pinia
beforeEach(() => {
  document.body.innerHTML = ''
  pinia = freshStores()
  const nothing = () => []
  begin({ 'POST /api/cells/{id}/facts': nothing, 'POST /api/cells/{id}/masses': nothing })
  openCell([
    { id: 'table', name: 'Table' },
    { id: 'clamp', name: 'Clamp', role: 'fixture', parent: 'table' },
  ])
})
const hit = (item: string, body?: number): Hit =>
  ({ item, at: [1, 2, 3], body, triangle: 4 }) as Hit
async function opened(hits: Hit[]) {
  if (hits[0]) useWhat().select(hits[0].item)
  const menu = mounted(ContextMenu, pinia, { x: 10, y: 10, hits })
  await vi.waitFor(() => expect(document.querySelector(byTest('context-menu'))).not.toBeNull())
  const row = (name: string) => document.querySelector<HTMLElement>(byTest(`menu-${name}`))
  return { menu, row, text: () => document.querySelector(byTest('context-menu'))!.textContent! }
}

describe('the menu at the pointer', () => {
  it('begins with what one does most with the thing under it', async () => {
    const { text, row } = await opened([hit('clamp', 1)])
    expect(text()).toMatch(/^Clamp/)
    for (const does of ['fit-selection', 'isolate', 'hide', 'handles-move', 'rename', 'delete'])
      expect(row(does)).not.toBeNull()
  })

  it('keeps all else one level down', async () => {
    const { row } = await opened([hit('clamp', 1)])
    for (const group of ['show', 'place', 'edit', 'frames', 'select', 'look'])
      expect(row(group)).not.toBeNull()
    expect(row('drop')).toBeNull()
    expect(document.querySelectorAll('[role=menuitem]').length).toBeLessThan(20)
  })

  it('unfolds a group by a click, one at a time, and shows only what can be done', async () => {
    const { row } = await opened([hit('clamp', 1)])
    row('place')!.click()
    await vi.waitFor(() => expect(row('drop')).not.toBeNull())
    row('edit')!.click()
    await vi.waitFor(() => expect(row('duplicate')).not.toBeNull())
    expect(row('ungroup')).toBeNull()
  })

  it('does what is chosen and closes', async () => {
    const what = useWhat()
    const { menu, row } = await opened([hit('clamp', 1)])
    row('hide')!.click()
    await nextTick()
    expect(what.visible.has('clamp')).toBe(false)
    expect(menu.emitted('close')).toBeTruthy()
  })

  it('offers what lies behind, too', async () => {
    const what = useWhat()
    const { row } = await opened([hit('clamp', 1), hit('table', 0)])
    row('also')!.click()
    const other = byTest('also-table')
    await vi.waitFor(() => expect(document.querySelector(other)).not.toBeNull())
    document.querySelector<HTMLElement>(other)!.click()
    await nextTick()
    expect([...what.selected]).toEqual(['table'])
  })

  it('looks at a face only where there is one, and turns about the very point', async () => {
    const where = useWhere()
    const first = await opened([hit('clamp')])
    expect(first.row('face-on')).toBeNull()
    first.menu.unmount()
    const { row } = await opened([hit('clamp', 1)])
    where.faceOn = vi.fn()
    row('pivot')!.click()
    await nextTick()
    expect(where.viewpoint.pivot_mm).toEqual([1, 2, 3])
  })

  it('has what concerns the whole picture where nothing is under it', async () => {
    const { row, text } = await opened([])
    expect(row('isolate')).toBeNull()
    expect(row('fit-all')).not.toBeNull()
    expect(text()).toContain('Show all')
  })
})
