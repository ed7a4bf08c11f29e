import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Pair } from '../api/client'
import { useFindings } from '../findings/findingsStore'
import { useBindings } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import { useActions } from './actionsStore'
import { useExport } from './exportStore'

beforeEach(() => freshStores())

const opened = () =>
  openCell([
    { id: 'table', name: 'Table' },
    { id: 'clamp', name: 'Clamp', role: 'fixture', parent: 'table' },
    { id: 'robot', name: 'Robot', role: 'robot' },
  ])

describe('the table of actions', () => {
  it('has one action for each id, each with a name and a heading', () => {
    opened()
    const { list } = useActions()
    const ids = list.map((action) => action.id)
    expect(new Set(ids).size).toBe(ids.length)
    expect(list.every((action) => action.name && action.of)).toBe(true)
  })

  it('gives no key to two actions', () => {
    opened()
    const keys = useActions().list.flatMap((action) => action.key ?? [])
    expect(keys.filter((key, i) => keys.indexOf(key) !== i)).toEqual([])
  })

  it('goes back and forward by B, and shows before and again by U', () => {
    opened()
    const { get } = useActions()
    const keys = ['view-back', 'view-forward', 'shown-before', 'shown-again'].map((a) => get(a).key)
    expect(keys).toEqual(['B', 'Shift+B', 'U', 'Shift+U'])
  })

  it('follows what a person binds, keeps the standard beside it, and tells everyone', async () => {
    opened()
    const settings = useSettings()
    const actions = useActions()
    settings.keys = { hide: 'Ctrl+H', isolate: '' }
    await nextTick()
    expect([actions.get('hide').key, actions.get('hide').standardKey]).toEqual(['Ctrl+H', 'H'])
    expect(actions.get('isolate').key).toBeUndefined()
    expect(useBindings().inForce.get('hide')).toBe('Ctrl+H')
    expect(useBindings().inForce.has('isolate')).toBe(false)
  })

  it('can be done only where they mean something', () => {
    opened()
    const { get } = useActions()
    const can = (id: string) => get(id).enabled?.() ?? true
    expect(['isolate', 'hide', 'delete', 'rename', 'view-back', 'undo'].filter(can)).toEqual([])
    useWhat().select('clamp')
    expect(['isolate', 'hide', 'delete', 'rename'].every(can)).toBe(true)
    expect(can('ungroup')).toBe(false)
    expect(can('export-urdf')).toBe(false)
  })

  it('names the step that undo takes back', async () => {
    const cell = opened()
    cell.cell = { ...cell.cell!, undo: { label: 'move Clamp', step: 3 } } as typeof cell.cell
    await nextTick()
    expect(useActions().get('undo').name).toBe('Undo move Clamp')
    expect(useActions().get('undo').enabled!()).toBe(true)
  })

  it('has one for each saved view, the first nine with a digit', async () => {
    const cell = opened()
    const views = Array.from({ length: 11 }, (_, i) => ({ id: `v${i}`, name: `View ${i}` }))
    const document = { ...cell.cell!.document, views }
    cell.cell = { ...cell.cell!, document } as unknown as typeof cell.cell
    await nextTick()
    const { get } = useActions()
    expect(get('recall-v0').key).toBe('1')
    expect(get('recall-v8').key).toBe('9')
    expect(get('recall-v9').key).toBeUndefined()
    expect(get('recall-v3').name).toBe('Recall View 3')
  })

  it('selects what hangs on the selection', () => {
    opened()
    const what = useWhat()
    what.select('table')
    useActions().get('select-children').run()
    expect([...what.selected].sort()).toEqual(['clamp', 'table'])
  })

  it('turns frames of a kind on and off', () => {
    opened()
    const { furniture } = useSettings()
    const before = furniture.kinds.includes('flange')
    useActions().get('frames-flange').run()
    expect(furniture.kinds.includes('flange')).toBe(!before)
    useActions().get('frames-flange').run()
    expect(furniture.kinds.includes('flange')).toBe(before)
  })

  it('keeps marks of frames and handles within sizes that can be seen', () => {
    opened()
    const { furniture } = useSettings()
    const { get } = useActions()
    for (let i = 0; i < 40; i++) get('frames-larger').run()
    expect(furniture.frameSize).toBe(160)
    for (let i = 0; i < 40; i++) get('frames-smaller').run()
    expect(furniture.frameSize).toBe(10)
    for (let i = 0; i < 40; i++) get('handles-smaller').run()
    expect(furniture.handleSize).toBeCloseTo(0.3, 9)
  })
})

describe('Escape', () => {
  it('ends one thing at a time, the most pressing first', () => {
    opened()
    const [where, what, items] = [useWhere(), useWhat(), useItems()]
    const escape = () => useActions().get('escape').run()
    what.select('clamp')
    what.peeking = true
    items.handles = 'move'
    where.asking = 'pivot'
    escape()
    expect([where.asking, items.handles]).toEqual([null, 'move'])
    escape()
    expect([items.handles, what.peeking]).toEqual([null, true])
    escape()
    expect([what.peeking, what.selected.size]).toEqual([false, 1])
    escape()
    expect(what.selected.size).toBe(0)
  })

  it('stops long work before all else', () => {
    opened()
    const [findings, exporting, where] = [useFindings(), useExport(), useWhere()]
    findings.stop = vi.fn()
    exporting.stop = vi.fn()
    where.asking = 'pivot'
    exporting.job = { done: 1, total: 9 }
    findings.job = { id: 'j', done: 1, total: 5, elapsed_s: 1, waiting: false } as never
    useActions().get('escape').run()
    expect(exporting.stop).toHaveBeenCalledOnce()
    expect(findings.stop).not.toHaveBeenCalled()
    exporting.job = null
    useActions().get('escape').run()
    expect(findings.stop).toHaveBeenCalledOnce()
    expect(where.asking).toBe('pivot')
  })

  it('leaves the evidence of a finding', () => {
    opened()
    const findings = useFindings()
    findings.leaveEvidence = vi.fn()
    findings.shown = { a: {}, b: {} } as Pair
    useActions().get('escape').run()
    expect(findings.leaveEvidence).toHaveBeenCalledOnce()
  })
})
