import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import type { Pair } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'
import { useWhen } from '../when/whenStore'
import StateChips from './StateChips.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  begin({
    'POST /api/cells/{id}/section': () => ({ faces: [], overlaps: [], area_mm2: 0 }),
    'GET /api/cells/{id}/poses': () => [],
    'POST /api/cells/{id}/frame': ({ body }) => (body as { viewpoint: unknown }).viewpoint,
  })
  openCell([{ id: 'table' }, { id: 'clamp', parent: 'table' }, { id: 'post' }])
})
const chips = (index = 0) => mounted(StateChips, pinia, { index })

describe('chips of what the picture leaves out or adds', () => {
  it('are none on a plain picture', () => {
    expect(chips().findAll('[data-test^=chip-]')).toHaveLength(0)
  })

  it('say what is hidden, and bring it back', async () => {
    const what = useWhat()
    what.hide(['table'])
    const shown = chips()
    expect(shown.get(byTest('chip-hidden')).text()).toContain('2 hidden')
    await shown.get(byTest('chip-hidden')).trigger('click')
    expect(what.hiddenCount).toBe(0)
    expect(shown.find(byTest('chip-hidden')).exists()).toBe(false)
  })

  it('say what is isolated, but not beside the evidence that isolated it', async () => {
    const what = useWhat()
    what.isolate(['table'])
    const shown = chips()
    expect(shown.get(byTest('chip-isolated')).text()).toContain('2 isolated')
    const [a, b] = [{ name: 'Hook' }, { name: 'Post' }]
    useFindings().shown = { a, b } as Pair
    await nextTick()
    expect(shown.find(byTest('chip-isolated')).exists()).toBe(false)
    expect(shown.text()).toContain('Closest approach of Hook and Post')
  })

  it('say where a section cuts, along its axis', async () => {
    const section = useSection()
    section.add({ point_mm: [0, 300, 0], normal: [0, -1, 0] })
    const shown = chips()
    expect(shown.text()).toContain('Cut at Y 300.0 mm')
    section.change({ point_mm: [0, 0, 0], normal: [0.6, 0, 0.8] })
    await nextTick()
    expect(shown.text()).toContain('Cut at 0.0 mm')
    section.become('slab')
    section.add({ point_mm: [0, 0, 40], normal: [0, 0, 1], fixed_to: 'clamp' })
    await nextTick()
    expect(shown.text()).toContain('Slab at 0.0 mm')
    expect(shown.get(byTest('chip-section1')).text()).toMatch(/^Cut at Z 40.0 mm of /)
    await shown.get(byTest('chip-section')).trigger('click')
    expect(section.sections.map((s) => s.point_mm[2])).toEqual([40])
  })

  it('say the time, except while it plays', async () => {
    const when = useWhen()
    when.goTo(3.25)
    const shown = chips()
    expect(shown.text()).toContain('At 00:03.250')
    when.playing = true
    await nextTick()
    expect(shown.text()).not.toContain('At 00:03.250')
  })

  it('say what is missing on the ground, and bring it back', async () => {
    const settings = useSettings()
    settings.furniture.grid = false
    settings.furniture.shadow = false
    const shown = chips()
    expect(shown.text()).toContain('No grid')
    await shown.get(byTest('chip-shadow')).trigger('click')
    expect([settings.furniture.grid, settings.furniture.shadow]).toEqual([false, true])
  })

  it('say the style of their own pane, and what holds for all in the first only', async () => {
    const where = useWhere()
    where.setLayout('side')
    where.panes[1]!.style = 'wireframe'
    useWhat().hide(['post'])
    expect(chips(0).text()).not.toContain('Wireframe')
    const second = chips(1)
    expect(second.text()).toContain('Wireframe')
    expect(second.text()).not.toContain('hidden')
    await second.get(byTest('chip-style')).trigger('click')
    expect(where.panes[1]!.style).toBe('shaded_edges')
  })
})
