import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Item } from '../api/client'
import { useBindings } from '../settings/bindings'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { useRosterKeys } from './useRosterKeys'
import { useRows } from './useRows'
import { useWhat } from './whatStore'

beforeEach(() => {
  freshStores()
  vi.useFakeTimers()
  return () => vi.useRealTimers()
})

function roster() {
  openCell([
    { id: 'table', name: 'Table' },
    { id: 'clamp', name: 'Clamp', parent: 'table' },
    { id: 'tower', name: 'Tower' },
    { id: 'post', name: 'Post' },
  ])
  const { rows, closed, toggleBranch } = useRows()
  const does = { toggleBranch, fit: vi.fn(), rename: vi.fn<(item: Item) => void>() }
  const keys = useRosterKeys(rows, closed, does)
  /** Presses a key; whether it meant something here. */
  const press = (key: string, more: Partial<KeyboardEvent> = {}) => {
    const event = { key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more }
    const heard = { preventDefault: vi.fn(), stopPropagation: vi.fn() }
    keys.key({ ...event, ...heard } as unknown as KeyboardEvent)
    expect(heard.stopPropagation.mock.calls.length).toBe(heard.preventDefault.mock.calls.length)
    return heard.preventDefault.mock.calls.length > 0
  }
  const what = useWhat()
  const at = () => [...what.selected].join(' ')
  return { press, at, what, closed, does, keys }
}

describe('keys of the roster', () => {
  it('go from row to row and no farther than the ends', () => {
    const { press, at } = roster()
    press('ArrowDown')
    expect(at()).toBe('table')
    press('ArrowUp')
    expect(at()).toBe('table')
    press('End')
    expect(at()).toBe('post')
    press('ArrowDown')
    expect(at()).toBe('post')
    press('Home')
    expect(at()).toBe('table')
  })

  it('fold up a branch, then go to what carries it; unfold it again', () => {
    const { press, at, closed, what } = roster()
    what.select('clamp')
    press('ArrowLeft')
    expect(at()).toBe('table')
    press('ArrowLeft')
    expect([...closed.value]).toEqual(['table'])
    expect(press('ArrowRight')).toBe(true)
    expect([...closed.value]).toEqual([])
  })

  it('leave an arrow that means nothing here to others', () => {
    const { press, what } = roster()
    what.select('post')
    expect(press('ArrowRight')).toBe(false)
  })

  it('fit, rename, hide and show the row they stand on, and nothing without one', () => {
    const { press, does, what } = roster()
    expect(press('Enter')).toBe(false)
    what.select('post')
    press('Enter')
    expect(does.fit).toHaveBeenCalledOnce()
    press('F2')
    expect(does.rename.mock.calls[0]![0].id).toBe('post')
    press(' ')
    expect(what.visible.has('post')).toBe(false)
  })

  it('type ahead: letters go to the next name that begins with them', () => {
    const { press, at } = roster()
    press('ArrowDown')
    press('t')
    expect(at()).toBe('tower')
    vi.advanceTimersByTime(1000)
    press('t')
    expect(at()).toBe('table')
    press('o')
    expect(at()).toBe('tower')
    press('x')
    expect(at()).toBe('tower')
  })

  it('leave letters to shortcuts after a click, where they are some', () => {
    const { press, at, keys, what } = roster()
    useBindings().inForce = new Map([['hide', 'H']])
    what.select('table')
    keys.clicked()
    expect(press('h')).toBe(false)
    expect(press('p')).toBe(true)
    expect(at()).toBe('post')
    press('ArrowUp')
    expect(press('h')).toBe(true)
  })

  it('leave keys with Ctrl, Alt or Cmd alone', () => {
    const { press } = roster()
    press('ArrowDown')
    for (const held of ['ctrlKey', 'altKey', 'metaKey'])
      expect(press('p', { [held]: true })).toBe(false)
  })
})
