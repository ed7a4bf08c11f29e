import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { useExport } from '../actions/exportStore'
import { useCell } from '../cell/cellStore'
import type { Scene } from '../scene/scene'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import StatusBar from './StatusBar.vue'

let pinia: Pinia
beforeEach(() => {
  localStorage.clear()
  pinia = freshStores()
  openCell(
    [
      { id: 'table', name: 'Table' },
      { id: 'datum', name: 'Datum', role: 'frame' },
    ],
    'c',
    {
      item_nodes: [0, 7],
    } as never,
  )
})
const bar = (pointer: number[] | null = null) => mounted(StatusBar, pinia, { pointer })

describe('the line below everything', () => {
  it('says where the pointer is, in the unit one likes', async () => {
    const shown = bar([1234.56, -20, 0])
    expect(shown.get(byTest('coordinates')).text()).toBe('1234.6  -20.0  0.0')
    for (let i = 0; i < 2; i++) await shown.get(byTest('unit')).trigger('click')
    expect(useSettings().units.length).toBe('m')
    expect(shown.get(byTest('coordinates')).text()).toContain('1.23')
  })

  it('says nothing of coordinates while the pointer is elsewhere', () => {
    expect(bar().get(byTest('coordinates')).text()).toBe('–')
  })

  it('gives them in the active frame, and names it', async () => {
    const inFrame = vi.fn(() => [1, 2, 3])
    useExport().scene = { stage: { inFrame } } as unknown as Scene
    useItems().frame = { item: 'datum' }
    const shown = bar([10, 20, 30])
    await nextTick()
    expect(inFrame).toHaveBeenCalledWith(7, [10, 20, 30])
    expect(shown.text()).toContain('Datum')
    expect(shown.get(byTest('coordinates')).text()).toBe('1.0  2.0  3.0')
  })

  it('names what is under the pointer', async () => {
    const shown = bar()
    expect(shown.find(byTest('under')).exists()).toBe(false)
    useWhat().hovered = 'table'
    await nextTick()
    expect(shown.get(byTest('under')).text()).toBe('Table')
  })

  it('says whether all is saved', async () => {
    const shown = bar()
    expect(shown.get(byTest('saving')).text()).toBe('Saved, revision 1')
    useCell().saving = true
    await nextTick()
    expect(shown.get(byTest('saving')).text()).toBe('Saving…')
  })
})
