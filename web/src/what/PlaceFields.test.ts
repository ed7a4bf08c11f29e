import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useItems } from './itemsStore'
import PlaceFields from './PlaceFields.vue'
import PoseFields from './PoseFields.vue'
import { useWhat } from './whatStore'

let pinia: Pinia
const pose = { xyz_mm: [10, 20, 30], rpy_deg: [0, 0, 90] }
const fact = (item: string) => ({ item, pose, triangles: 12, open_edges: 0, files: [] })
beforeEach(() => {
  pinia = freshStores()
  begin({ 'POST /api/cells/{id}/facts': () => [], 'POST /api/cells/{id}/masses': () => [] })
  openCell([
    { id: 'clamp', name: 'Clamp', role: 'fixture' },
    { id: 'robot', name: 'Robot 1', role: 'robot' },
    { id: 'post', name: 'Post', locked: true },
  ])
})
function chosen(...ids: string[]) {
  const items = useItems()
  useWhat().selected = new Set(ids)
  items.facts = ids.map(fact) as unknown as typeof items.facts
  items.arrange = vi.fn()
  return { items, fields: mounted(PlaceFields, pinia) }
}
const field = (of: ReturnType<typeof chosen>, name: string) =>
  of.fields.get<HTMLInputElement>(byTest(name))
async function type(of: ReturnType<typeof chosen>, name: string, text: string) {
  await field(of, name).setValue(text)
}

describe('numbers of a place', () => {
  it('are read in the frame that is chosen', () => {
    const of = chosen('clamp')
    const read = ['at-X', 'at-Y', 'at-Z', 'at-Roll', 'at-Pitch', 'at-Yaw']
    expect(read.map((name) => Number(field(of, name).element.value))).toEqual([
      10, 20, 30, 0, 0, 90,
    ])
  })

  it('are typed: one changes, the others stay', async () => {
    const of = chosen('clamp')
    await type(of, 'at-Z', '45.5')
    expect(of.items.arrange).toHaveBeenCalledWith({
      put: { frame: 'parent', at: { xyz_mm: [10, 20, 45.5], rpy_deg: [0, 0, 90] } },
    })
  })

  it('are added to with a plus', async () => {
    const of = chosen('clamp')
    await type(of, 'at-X', '+2.5')
    const [{ put }] = vi.mocked(of.items.arrange).mock.calls[0]! as never as [
      { put: { at: typeof pose } },
    ]
    expect(put.at.xyz_mm[0]).toBeCloseTo(12.5, 9)
  })

  it('go back where they are refused', async () => {
    const shown = mounted(PoseFields, pinia, { pose, test: 'at', answered: 1 })
    const z = shown.get<HTMLInputElement>(byTest('at-Z'))
    await z.setValue('9000')
    const at = { xyz_mm: [10, 20, 9000], rpy_deg: [0, 0, 90] }
    expect(shown.emitted('typed')).toEqual([[at]])
    await shown.setProps({ answered: 2 })
    expect(Number(z.element.value)).toBe(30)
  })

  it('stay as they are where something is locked', () => {
    expect(field(chosen('post'), 'at-X').attributes('disabled')).toBeDefined()
  })

  it('offer the world, what carries it, its own frame, and those of others', async () => {
    const of = chosen('clamp')
    const choice = of.fields.get<HTMLSelectElement>(byTest('frame-choice'))
    expect(choice.findAll('option').map((o) => o.text())).toEqual([
      'the world',
      'what carries it',
      'its own frame',
      'Robot 1',
    ])
    await choice.setValue('item:robot')
    expect(of.items.frame).toEqual({ item: 'robot' })
    await choice.setValue('own')
    expect(of.items.frame).toBe('own')
  })

  it('of several things are by how much they are shifted or turned', async () => {
    const of = chosen('clamp', 'robot')
    await nextTick()
    await type(of, 'by-Y', '100')
    await type(of, 'turn-Z', '15')
    const calls = vi.mocked(of.items.arrange).mock.calls as unknown as [
      { shift: { by: typeof pose } },
    ][]
    expect(calls.map(([{ shift }]) => shift.by)).toEqual([
      { xyz_mm: [0, 100, 0], rpy_deg: [0, 0, 0] },
      { xyz_mm: [0, 0, 0], rpy_deg: [0, 0, 15] },
    ])
  })
})
