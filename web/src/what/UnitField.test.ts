import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import { freshStores } from '../testing/freshStores'
import { mounted } from '../testing/mounted'
import UnitField from './UnitField.vue'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
})

function field(by: object = {}) {
  const props = { value: 300, kind: 'length' as const, label: 'Position', ...by }
  const all = mounted(UnitField, pinia, props)
  const field = all.get('input')
  const type = (text: string) => field.setValue(text)
  const said = () => (all.emitted('typed') ?? []).flat()
  return { field, type, said }
}

describe('a field for a number with its unit', () => {
  it('takes numbers, increments and other units', async () => {
    const { type, said } = field()
    await type('250')
    await type('+5')
    await type('2 in')
    expect(said()).toEqual([250, 305, 50.8])
  })

  it('says whether anything is being typed in it', async () => {
    const { field: input } = field({ digits: 0 })
    const isDone = () => input.attributes('data-done') !== undefined
    expect(isDone()).toBe(true)
    input.element.value = '30'
    await input.trigger('input')
    expect(isDone()).toBe(false)
    await input.trigger('keydown', { key: 'Escape' })
    expect(isDone()).toBe(true)
  })

  it('marks what is no number and says so, and goes back with Escape', async () => {
    const { field: input, type, said } = field({ digits: 0 })
    await type('banana')
    expect(said()).toEqual([])
    expect(input.attributes('aria-invalid')).toBe('true')
    expect(input.attributes('title')).toContain('no number')
    await input.trigger('keydown', { key: 'Escape' })
    expect(input.element.value).toBe('300.0')
    expect(input.attributes('aria-invalid')).toBe('false')
  })

  it('lets Escape through where there is nothing to take back', async () => {
    const { field: input, type } = field()
    const heard: string[] = []
    document.addEventListener('keydown', (e) => heard.push(e.key))
    await type('250 apples')
    await input.trigger('keydown', { key: 'Escape' })
    expect(heard).toEqual([])
    await input.trigger('keydown', { key: 'Escape' })
    expect(heard).toEqual(['Escape'])
  })

  it.each(['0.05', '1000.5', '-1'])('refuses %s, which makes no sense there', async (text) => {
    const { field: input, type, said } = field({ digits: 0, least: 0.1, most: 1000 })
    await type(text)
    expect(said()).toEqual([])
    expect(input.attributes('title')).toContain('at least 0.1, at most 1000')
  })

  it('steps by its arrows, no farther than makes sense', async () => {
    const { field: input, said } = field({ steps: true, most: 305 })
    await input.trigger('keydown', { key: 'ArrowUp' })
    await input.trigger('keydown', { key: 'ArrowUp', shiftKey: true })
    await input.trigger('keydown', { key: 'ArrowDown', altKey: true })
    expect(said()).toEqual([301, 305, 299.9])
  })
})
