import { flushPromises } from '@vue/test-utils'
import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Schemas } from '../api/client'
import { useNaming } from '../cell/namingStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { asked, begin, Refusal } from '../testing/standIn'
import CellList from './CellList.vue'

type Line = Schemas['CellLine']
const line = (id: string, by: Partial<Line> = {}): Line => ({
  id,
  name: `Cell ${id}`,
  revision: 4,
  changed_at: '2031-01-01T00:00:00Z',
  opened_at: null,
  binned_at: null,
  has_thumbnail: false,
  items: 3,
  bytes: 2_500_000,
  swept: null,
  ...by,
})

let pinia: Pinia
beforeEach(() => {
  localStorage.clear()
  pinia = freshStores()
})
async function listed(lines: Line[], more: Parameters<typeof begin>[0] = {}) {
  begin({ 'GET /api/cells': () => lines, ...more })
  const page = mounted(CellList, pinia)
  await flushPromises()
  return page
}
const names = (page: Awaited<ReturnType<typeof listed>>) => page.findAll('b').map((b) => b.text())

describe('the list of cells', () => {
  it('says how to begin where there is none', async () => {
    const page = await listed([])
    expect(page.text()).toContain('There are no cells yet.')
    expect(page.text()).toContain('Drop a cell package, robots or meshes here')
  })

  it('says what went wrong and tries again', async () => {
    const page = await listed([], { 'GET /api/cells': () => new Refusal(500, 'No database.') })
    expect(page.get('[role=alert]').text()).toContain('No database.')
    begin({ 'GET /api/cells': () => [line('a')] })
    await page.get('[role=alert] button').trigger('click')
    await flushPromises()
    expect(names(page)).toEqual(['Cell a'])
    expect(page.find('[role=alert]').exists()).toBe(false)
  })

  it('puts what was opened last first, and orders otherwise when asked', async () => {
    const page = await listed([
      line('a', { opened_at: '2031-01-01T00:00:00Z', bytes: 1 }),
      line('b', { opened_at: '2031-03-01T00:00:00Z', bytes: 20 }),
      line('c', { bytes: 300 }),
    ])
    expect(names(page)).toEqual(['Cell b', 'Cell a', 'Cell c'])
    await page.get(byTest('cell-order')).setValue('size')
    expect(names(page)).toEqual(['Cell c', 'Cell b', 'Cell a'])
    await page.get(byTest('cell-order')).setValue('name')
    expect(names(page)).toEqual(['Cell a', 'Cell b', 'Cell c'])
  })

  it('finds cells by all words of their names', async () => {
    const page = await listed([line('a', { name: 'Pump sealing' }), line('b', { name: 'Pump' })])
    await page.get(byTest('cell-search')).setValue('SEAL pump')
    expect(names(page)).toEqual(['Pump sealing'])
    await page.get(byTest('cell-search')).setValue('press')
    expect(page.text()).toContain('No cell is called that.')
  })

  it('tells what stands in a cell and what became of its last sweep', async () => {
    const swept = { verdict: 'broken', broken: 3, tight: 1, not_certified: 0, changed_since: true }
    const page = await listed([line('a', { swept: swept as Line['swept'], items: 1 })])
    const text = page.get(byTest('cell')).text()
    expect(text).toContain('not opened yet')
    expect(text).toContain('1 item ·')
    expect(text).toContain('2.5 MB')
    expect(text).toContain('3 broken, changed since')
    expect(page.get('.swept').attributes('title')).toBe(
      'At the last sweep; the cell was changed since',
    )
  })

  it('opens a cell by click, and the one that was open last by Enter', async () => {
    localStorage.setItem('selvik.last-cell', 'b')
    const page = await listed([line('a', { opened_at: '2031-01-01T00:00:00Z' }), line('b')])
    await page.get(byTest('cell')).trigger('click')
    await flushPromises()
    expect(page.vm.$route.params.id).toBe('a')
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    await flushPromises()
    expect(page.vm.$route.params.id).toBe('b')
    page.unmount()
  })

  it('begins a new cell under the name one gives it', async () => {
    const page = await listed([line('a')], { 'POST /api/cells/new': () => ({ id: 'new' }) })
    await page.get(byTest('new-cell')).trigger('click')
    const naming = useNaming()
    expect(naming.asked?.name).toBe('Cell 2')
    await naming.asked!.done('Press shop')
    expect(asked.find((a) => a.what === 'POST /api/cells/new')?.body).toEqual({
      name: 'Press shop',
    })
    await flushPromises()
    expect(page.vm.$route.params.id).toBe('new')
  })

  it('keeps what was thrown away in the bin, apart, until it is brought back', async () => {
    const gone = line('b', { binned_at: '2031-02-01T00:00:00Z' })
    const page = await listed([line('a'), gone], { 'POST /api/cells/{id}/restore': () => ({}) })
    expect(names(page)).toEqual(['Cell a'])
    expect(page.get(byTest('bin')).text()).toBe('Bin (1)')
    await page.get(byTest('bin')).trigger('click')
    expect(names(page)).toEqual(['Cell b'])
    expect(page.get(byTest('cell')).attributes('disabled')).toBeDefined()
    await page.get(byTest('restore')).trigger('click')
    await flushPromises()
    expect(asked.find((a) => a.what === 'POST /api/cells/{id}/restore')?.id).toBe('b')
  })

  it('deletes for good only after asking', async () => {
    const gone = line('b', { binned_at: '2031-02-01T00:00:00Z' })
    const page = await listed([gone], { 'DELETE /api/cells/{id}': () => ({}) })
    await page.get(byTest('bin')).trigger('click')
    await page.get('button[aria-label="Delete Cell b for good"]').trigger('click')
    await vi.dynamicImportSettled()
    await flushPromises()
    expect(asked.some((a) => a.what === 'DELETE /api/cells/{id}')).toBe(false)
    const sure = document.querySelector<HTMLElement>(byTest('delete-for-good'))!
    sure.click()
    await flushPromises()
    const sent = asked.find((a) => a.what === 'DELETE /api/cells/{id}')
    expect([sent?.id, sent?.query]).toEqual(['b', { for_good: true }])
    page.unmount()
  })
})
