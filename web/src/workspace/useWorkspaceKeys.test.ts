import { beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, nextTick } from 'vue'

import { useActions } from '../actions/actionsStore'
import { useHeldDial, viewOfStroke } from '../picture/heldDial'
import { lookKey } from '../picture/useHand'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useImport } from '../what/importStore'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import { useHint } from './useHint'
import { useWorkspaceKeys } from './useWorkspaceKeys'

let hint: ReturnType<typeof useHint>
let page: ReturnType<typeof mounted>
beforeEach(() => {
  const pinia = freshStores()
  const nothing = () => []
  begin({ 'POST /api/cells/{id}/facts': nothing, 'POST /api/cells/{id}/masses': nothing })
  openCell([{ id: 'table', name: 'Table' }])
  document.body.innerHTML = ''
  lookKey.value = false
  const Page = defineComponent(() => {
    useWorkspaceKeys()
    hint = useHint()
    return () => null
  })
  page = mounted(Page, pinia)
  return () => page.unmount()
})
function press(key: string, more: KeyboardEventInit = {}, on: Element = document.body) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  on.dispatchEvent(event)
  return event.defaultPrevented
}
const release = (key: string) =>
  document.body.dispatchEvent(new KeyboardEvent('keyup', { key, bubbles: true }))
function added(html: string): HTMLElement {
  document.body.insertAdjacentHTML('beforeend', html)
  return document.body.lastElementChild as HTMLElement
}

describe('keys of the workspace', () => {
  it('do what the table of actions says', () => {
    const where = useWhere()
    const before = where.viewpoint.projection
    expect(press('o')).toBe(true)
    expect(where.viewpoint.projection).not.toBe(before)
  })

  it('do nothing where the action means nothing, but are not left to the browser', () => {
    const what = useWhat()
    what.isolate = vi.fn()
    expect(press('i')).toBe(true)
    expect(what.isolate).not.toHaveBeenCalled()
  })

  it('are left alone where one types, and in menus and dialogs', () => {
    const where = useWhere()
    const before = where.viewpoint.projection
    press('o', {}, added('<input>'))
    press('o', {}, added('<textarea></textarea>'))
    press('o', {}, added('<div class="v-overlay__content"><b></b></div>').firstElementChild!)
    expect(where.viewpoint.projection).toBe(before)
  })

  it('take back the change of a field in which nothing is being typed', () => {
    const control = { ctrlKey: true }
    expect(press('z', control, added('<input>'))).toBe(false)
    expect(press('z', control, added('<input data-done>'))).toBe(true)
    expect(press('o', {}, added('<input data-done>'))).toBe(false)
    const dialog = added('<div class="v-overlay__content"><input data-done></div>')
    expect(press('z', control, dialog.firstElementChild!)).toBe(false)
  })

  it('leave the space bar to a button and the arrows to lists and sliders', () => {
    expect(press(' ', {}, added('<button></button>'))).toBe(false)
    expect(press('ArrowDown', {}, added('<div role="tree"></div>'))).toBe(false)
    expect(press('ArrowRight', {}, added('<div role="slider"></div>'))).toBe(false)
  })

  it('look round while V is held, and no longer when it is let go or the window is left', () => {
    press('v')
    expect(lookKey.value).toBe(true)
    release('v')
    expect(lookKey.value).toBe(false)
    press('v')
    window.dispatchEvent(new Event('blur'))
    expect(lookKey.value).toBe(false)
    press('v', { ctrlKey: true })
    expect(lookKey.value).toBe(false)
  })

  it('open the dial while D is held, and go where the stroke points', () => {
    const [dial, where] = [useHeldDial(), useWhere()]
    where.standard = vi.fn()
    dial.moved({ clientX: 100, clientY: 100 })
    press('d')
    dial.moved({ clientX: 150, clientY: 100 })
    expect(dial.chosen).toBe('right')
    release('d')
    expect(where.standard).toHaveBeenCalledWith('right', where.under)
    press('d')
    release('d')
    expect(where.standard).toHaveBeenCalledTimes(1)
  })

  it('give Escape to what is being brought in first', () => {
    const bringing = useImport()
    bringing.stop = vi.fn()
    bringing.open = true
    useWhat().select('table')
    press('Escape')
    expect(bringing.stop).toHaveBeenCalledOnce()
    expect(useWhat().selected.size).toBe(1)
  })

  it('follow what a person binds', async () => {
    useSettings().keys = { projection: 'Ctrl+J' }
    await nextTick()
    expect(useActions().get('projection').key).toBe('Ctrl+J')
    const where = useWhere()
    const before = where.viewpoint.projection
    press('o')
    expect(where.viewpoint.projection).toBe(before)
    press('j', { ctrlKey: true })
    expect(where.viewpoint.projection).not.toBe(before)
  })
})

describe('the stroke of the dial', () => {
  it.each([
    [0, 50, 'front'],
    [50, 0, 'right'],
    [0, -50, 'back'],
    [-50, 0, 'left'],
    [40, 40, 'front-right'],
    [-40, -40, 'back-left'],
    [0, -120, 'top'],
    [10, 120, 'bottom'],
    [5, 5, null],
  ])('of %i, %i pixels points at %s', (dx, dy, view) => {
    expect(viewOfStroke(dx, dy)).toBe(view)
  })
})

describe('the hint', () => {
  it('names the gestures in force and the double click', async () => {
    expect(hint.value).toContain('Right drag turns')
    expect(hint.value).toContain('double click fits')
    const settings = useSettings()
    settings.gestures = { Middle: 'turn', Left: 'select' }
    settings.looking.doubleClick = 'nothing'
    await nextTick()
    expect(hint.value).toContain('Middle drag turns')
    expect(hint.value).not.toContain('moves')
    expect(hint.value).not.toContain('double click')
  })

  it('says what the mouse does while V is held and while there are handles', async () => {
    lookKey.value = true
    expect(hint.value).toContain('Left drag turns')
    const items = useItems()
    useWhat().select('table')
    items.frame = 'world'
    items.handles = 'turn'
    await nextTick()
    expect(hint.value).toContain('Drag an arrow round')
    expect(hint.value).toContain('along the axes of the world')
  })
})
