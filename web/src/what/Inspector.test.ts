import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { palettes } from '../scene/look'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import Inspector from './Inspector.vue'
import { useItems } from './itemsStore'
import { useWhat } from './whatStore'

let pinia: Pinia
const fact = (item: string, by = {}) => ({
  item,
  pose: { xyz_mm: [0, 0, 0], rpy_deg: [0, 0, 0] },
  quaternion_xyzw: [0, 0, 0, 1],
  size_mm: [10, 20, 30],
  triangles: 12,
  open_edges: 0,
  files: [`brought/7/${item}.stl`],
  ...by,
})
beforeEach(() => {
  pinia = freshStores()
  begin({ 'POST /api/cells/{id}/facts': () => [], 'POST /api/cells/{id}/masses': () => [] })
  openCell([
    { id: 'table', name: 'Table' },
    { id: 'clamp', name: 'Clamp', role: 'fixture', parent: 'table', notes: 'worn' },
    { id: 'post', name: 'Post', locked: true },
  ])
})
async function chosen(ids: string[], facts = {}, masses: unknown = null) {
  const items = useItems()
  useWhat().selected = new Set(ids)
  await nextTick()
  items.facts = ids.map((id) => fact(id, facts)) as unknown as typeof items.facts
  items.masses = masses as typeof items.masses
  for (const name of ['rename', 'change', 'toggleLock'] as const) items[name] = vi.fn()
  return { items, shown: mounted(Inspector, pinia) }
}

describe('what is said of the selection', () => {
  it('names one thing, or counts several', async () => {
    const { shown } = await chosen(['clamp'])
    expect(shown.get<HTMLInputElement>(byTest('item-name')).element.value).toBe('Clamp')
    expect((await chosen(['clamp', 'post'])).shown.text()).toContain('2 items')
  })

  it('renames, but never to nothing', async () => {
    const { items, shown } = await chosen(['clamp'])
    await shown.get(byTest('item-name')).setValue('Clamp A1')
    expect(items.rename).toHaveBeenCalledWith('clamp', 'Clamp A1')
    await shown.get(byTest('item-name')).setValue('   ')
    expect(items.rename).toHaveBeenCalledTimes(1)
    expect(shown.get<HTMLInputElement>(byTest('item-name')).element.value).toBe('Clamp')
  })

  it('shows the role they have in common, and changes it for all', async () => {
    const { items, shown } = await chosen(['table', 'post'])
    const role = shown.get<HTMLSelectElement>(byTest('item-role'))
    expect(role.element.value).toBe('structure')
    await role.setValue('fixture')
    expect(items.change).toHaveBeenCalledWith({ role: 'fixture' })
    const mixed = (await chosen(['clamp', 'post'])).shown.get(byTest('item-role'))
    expect(mixed.text()).toContain('several')
  })

  it('shows the colour of its role until it has one of its own', async () => {
    const { items, shown } = await chosen(['clamp'])
    const colour = shown.get<HTMLInputElement>(byTest('item-colour'))
    expect(colour.element.value.toLowerCase()).toBe(palettes.light.roles.fixture!.toLowerCase())
    await colour.setValue('#12ab34')
    expect(items.change).toHaveBeenCalledWith({ colour: '#12AB34' })
  })

  it('tells the size, and no volume where a mesh is open or pieces overlap', async () => {
    const mass = [{ item: 'clamp', volume_mm3: 6000 }]
    const closed = (await chosen(['clamp'], {}, mass)).shown
    expect(closed.get(byTest('item-size')).text()).toBe('10.0 × 20.0 × 30.0 mm')
    expect(closed.get(byTest('item-volume')).text()).toBe('6.0 cm³')
    const volume = async (facts: object, masses: unknown) =>
      (await chosen(['clamp'], facts, masses)).shown.get(byTest('item-volume')).text()
    expect(await volume({ open_edges: 3 }, mass)).toBe('open mesh')
    expect(await volume({}, null)).toBe('…')
    expect(await volume({}, [{ item: 'clamp', volume_mm3: null }])).toBe('pieces overlap')
  })

  it('lets an open body be declared a surface, and says what that means', async () => {
    const { items, shown } = await chosen(['clamp'], { open_edges: 3 })
    expect(shown.get('.only').attributes('title')).toContain('Nothing counts as inside it')
    await shown.get(byTest('surface-only')).setValue(true)
    expect(items.change).toHaveBeenCalledWith({ surface_only: true })
    expect((await chosen(['clamp'])).shown.find(byTest('surface-only')).exists()).toBe(false)
  })

  it('asks how it is to be kept before something hangs elsewhere', async () => {
    const { items, shown } = await chosen(['clamp'])
    await shown.get(byTest('hangs-on')).setValue('post')
    expect(items.hanging).toEqual({ ids: ['clamp'], parent: 'post', link: null })
  })

  it('does not offer to hang it on itself or on what hangs on it', async () => {
    const options = (await chosen(['table'])).shown.get(byTest('hangs-on')).findAll('option')
    expect(options.map((o) => o.text())).toEqual(['the floor', 'Post'])
  })

  it('says where it came from, without the folder it was put in', async () => {
    expect((await chosen(['clamp'])).shown.get('.file').text()).toBe('clamp.stl')
  })

  it('keeps notes', async () => {
    const { items, shown } = await chosen(['clamp'])
    await shown.get(byTest('item-notes')).setValue('worn, order a new one')
    expect(items.change).toHaveBeenCalledWith({ notes: 'worn, order a new one' })
  })

  it('unlocks what is locked', async () => {
    const { items, shown } = await chosen(['post'])
    expect(shown.get(byTest('lock')).attributes('aria-pressed')).toBe('true')
    await shown.get(byTest('lock')).trigger('click')
    expect(items.toggleLock).toHaveBeenCalledOnce()
  })
})
