import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { useWhere } from '../where/whereStore'
import StandardViews from './StandardViews.vue'

const view = (id: string, bearing_deg: number, elevation_deg: number) => ({
  id,
  name: id[0]!.toUpperCase() + id.slice(1),
  bearing_deg,
  elevation_deg,
})
const faces = [
  view('front', 0, 0),
  view('back', 180, 0),
  view('right', 90, 0),
  view('left', -90, 0),
  view('top', 0, 90),
  view('bottom', 0, -90),
]

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  openCell([{ id: 'table' }])
  useWhere().standardViews = [...faces, view('front-right', 45, 35)] as never
})
const buttons = (folded: boolean) => mounted(StandardViews, pinia, { folded })

describe('the standard views of the bar', () => {
  it('stand side by side, the corners in a menu', () => {
    expect(
      buttons(false)
        .findAll('button')
        .map((b) => b.text()),
    ).toEqual(['Front', 'Back', 'Right', 'Left', 'Top', 'Bottom', 'Corner'])
  })

  it('fold into one menu where there is no room, named for where one stands', async () => {
    const shown = buttons(true)
    expect(shown.findAll('button').map((b) => b.text())).toEqual(['From'])
    const where = useWhere()
    where.move({ ...where.viewpoint, bearing_deg: 90, elevation_deg: 0 })
    await nextTick()
    expect(shown.get('button').text()).toBe('Right')
  })

  it('say which key does the same, and go there', async () => {
    const where = useWhere()
    where.standard = vi.fn()
    const shown = buttons(false)
    await nextTick()
    const top = shown.get(byTest('view-top'))
    expect(top.attributes('title')).toBe('View from top (Alt+5)')
    await top.trigger('click')
    expect(where.standard).toHaveBeenCalledWith('top')
  })

  it('mark the one that one stands in exactly', async () => {
    const where = useWhere()
    const shown = buttons(false)
    where.move({ ...where.viewpoint, bearing_deg: 180, elevation_deg: 0 })
    await nextTick()
    expect(shown.get(byTest('view-back')).classes()).toContain('v-btn--active')
    where.move({ ...where.viewpoint, bearing_deg: 179.9, elevation_deg: 0 })
    await nextTick()
    expect(shown.get(byTest('view-back')).classes()).not.toContain('v-btn--active')
  })
})
