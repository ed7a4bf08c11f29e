import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import type { Action } from './action'
import { useActions } from './actionsStore'
import BindingSheet from './BindingSheet.vue'
import FindDialog from './FindDialog.vue'
import KeySettings from './KeySettings.vue'
import QuickBar from './QuickBar.vue'

let pinia: Pinia
beforeEach(() => {
  localStorage.clear()
  document.body.innerHTML = ''
  pinia = freshStores()
  const nothing = () => []
  begin({ 'POST /api/cells/{id}/facts': nothing, 'POST /api/cells/{id}/masses': nothing })
  openCell([{ id: 'table', name: 'Index table' }])
  useWhere().standardViews = [
    { id: 'front', name: 'Front', bearing_deg: 0, elevation_deg: 0 },
    { id: 'top', name: 'Top', bearing_deg: 0, elevation_deg: 90 },
  ]
})
const actions = () => useActions().list

describe('the search box', () => {
  async function opened(of: Action[] = actions()) {
    mounted(FindDialog, pinia, { actions: of })
    useSettings().open = 'find'
    await vi.waitFor(() => expect(document.querySelector(byTest('find'))).not.toBeNull())
    const field = document.querySelector<HTMLInputElement>(byTest('find'))!
    const options = () => [...document.querySelectorAll<HTMLElement>('[role=option]')]
    return {
      options,
      names: () => options().map((o) => o.querySelector('.grow')!.textContent),
      async type(text: string) {
        field.value = text
        field.dispatchEvent(new Event('input'))
        await nextTick()
      },
      async press(key: string, more: KeyboardEventInit = {}) {
        field.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
        await nextTick()
      },
    }
  }

  it('finds by all words typed; what begins like it comes first', async () => {
    const box = await opened()
    await box.type('view fr')
    expect(box.names()[0]).toMatch(/^View from/)
    await box.type('fit all')
    expect(box.names()[0]).toBe('Fit all')
    await box.type('no such thing')
    expect(box.options()).toHaveLength(0)
  })

  it('does what is chosen by keys, and closes', async () => {
    const where = useWhere()
    const box = await opened()
    const before = where.viewpoint.projection
    await box.type('switch perspective')
    await box.press('Enter')
    expect(where.viewpoint.projection).not.toBe(before)
    expect(useSettings().open).toBeNull()
  })

  it('goes to items by their names', async () => {
    useWhere().fitSelection = vi.fn()
    const box = await opened()
    await box.type('index')
    expect(box.names()).toContain('Go to Index table')
    await box.press('Enter')
    expect([...useWhat().selected]).toEqual(['table'])
  })

  it('stays open where what is chosen means nothing now', async () => {
    const box = await opened()
    await box.type('isolate selection')
    expect(box.options()[0]!.getAttribute('aria-disabled')).toBe('true')
    await box.press('Enter')
    expect(useSettings().open).toBe('find')
  })

  it('pins to the quick bar by Shift+Enter, and takes it off again', async () => {
    const settings = useSettings()
    const box = await opened()
    await box.type('fit all')
    await box.press('Enter', { shiftKey: true })
    expect(settings.pinned).toContain('fit-all')
    expect(mounted(QuickBar, pinia, { actions: actions() }).text()).toContain('Fit all')
    await box.press('Enter', { shiftKey: true })
    expect(settings.pinned).not.toContain('fit-all')
  })

  it('moves along the list and no farther than its ends', async () => {
    const box = await opened()
    await box.type('frames')
    const at = () => box.options().findIndex((o) => o.getAttribute('aria-selected') === 'true')
    await box.press('ArrowUp')
    expect(at()).toBe(0)
    await box.press('ArrowDown')
    expect(at()).toBe(1)
  })
})

describe('keys of one’s own', () => {
  const settings = () => mounted(KeySettings, pinia, { actions: actions() })
  async function give(page: ReturnType<typeof settings>, id: string, key: string) {
    const button = page.get(byTest(`key-${id}`))
    await button.trigger('click')
    expect(button.text()).toBe('press a key…')
    await button.trigger('keydown', { key })
  }

  it('are given by pressing them', async () => {
    const page = settings()
    await give(page, 'grid', 'F8')
    expect(useSettings().keys).toEqual({ grid: 'F8' })
  })

  it('ask before they are taken from another action, and are swapped or left', async () => {
    const page = settings()
    await give(page, 'isolate', 'h')
    expect(page.get(byTest('clash')).text()).toContain('H is in use for “Hide selection”.')
    await page.get(byTest('clash-refuse')).trigger('click')
    expect(useSettings().keys).toEqual({})
    await give(page, 'isolate', 'h')
    await page.get(byTest('clash-swap')).trigger('click')
    expect(useSettings().keys).toEqual({ isolate: 'H', hide: 'I' })
  })

  it('wait while only Ctrl or Shift is down', async () => {
    const page = settings()
    const button = page.get(byTest('key-grid'))
    await button.trigger('click')
    await button.trigger('keydown', { key: 'Shift' })
    expect(button.text()).toBe('press a key…')
  })

  it('are forgotten when the standard one is given again', async () => {
    const page = settings()
    await give(page, 'hide', 'F9')
    await page.setProps({ actions: useActions().list })
    await give(page, 'hide', 'h')
    expect(useSettings().keys).toEqual({})
  })

  it('are found by action, heading or key', async () => {
    const page = settings()
    await page.get(byTest('key-find')).setValue('where top')
    expect(page.findAll('tr').map((row) => row.findAll('td')[1]!.text())).toEqual(['View from top'])
  })
})

describe('the sheet of all bindings', () => {
  it('lists gestures, keys and roles, each with a word', async () => {
    mounted(BindingSheet, pinia, { actions: actions() })
    useSettings().open = 'bindings'
    await vi.waitFor(() => expect(document.querySelector(byTest('binding-sheet'))).not.toBeNull())
    const sheet = document.querySelector(byTest('binding-sheet'))!.textContent!
    expect(sheet).toContain('Fit selection')
    expect(sheet).toContain('Turn round')
    const roles = [...document.querySelectorAll(byTest('role-legend'))].map((r) => r.textContent)
    expect(roles).toHaveLength(7)
    expect(roles.join(' ')).toContain('What a robot carries and works with')
  })
})
