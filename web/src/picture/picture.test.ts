import { Matrix4 } from 'three'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, type EffectScope, nextTick, ref, shallowRef, toRaw } from 'vue'

import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import type { CarryHooks, Carried } from '../scene/carrying'
import type { Scene } from '../scene/scene'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useTrying } from '../findings/tryingStore'
import { useHeld } from '../what/heldStore'
import { useItems } from '../what/itemsStore'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import { useTarget } from '../when/targetStore'
import { useWhere } from '../where/whereStore'
import { useHandles } from './useHandles'
import { usePaneRects } from './usePaneRects'
import { useTargetFrames } from './useTargetFrames'

/** What is used ends with its test. */
let scope: EffectScope
const using = <T>(use: () => T): T => scope.run(use)!
afterEach(() => scope.stop())
beforeEach(() => {
  scope = effectScope()
  freshStores()
  localStorage.clear()
  begin({})
})

describe('panes', () => {
  const rects = (width: number, height: number) =>
    usePaneRects({ width: ref(width), height: ref(height) })

  it('are the whole picture when there is one', () => {
    const [only, ...others] = rects(900.4, 600).value
    expect(only).toEqual({ index: 0, left: 0, top: 0, width: 900, height: 600 })
    expect(others).toEqual([])
  })

  it('stand side by side or one over the other, a line apart', () => {
    useWhere().layout = 'side'
    expect(rects(901, 600).value).toEqual([
      { index: 0, left: 0, top: 0, width: 450, height: 599 },
      { index: 1, left: 451, top: 0, width: 449, height: 599 },
    ])
    useWhere().layout = 'four'
    const four = rects(900, 600).value
    expect(four.map((r) => [r.left, r.top])).toEqual([
      [0, 0],
      [450, 0],
      [0, 300],
      [450, 300],
    ])
    // However small the picture is, there is something to draw on.
    expect(rects(0, 0).value.every((r) => r.width === 1 && r.height === 1)).toBe(true)
  })
})

describe('frames of targets', () => {
  const frame = { kind: 'target', name: 'T1', item: null, node: null, pose: [0, 0, 0, 0, 0, 0, 1] }
  const answered = () => begin({ 'GET /api/cells/{id}/target-frames': () => [frame] })
  const shown = (kinds: string[]) => (useSettings().furniture.kinds = kinds as never)

  it('are asked for only while they are shown', async () => {
    openCell([])
    answered()
    shown(['tcp'])
    const frames = using(useTargetFrames)
    await settled()
    expect(times('GET /api/cells/{id}/target-frames')).toBe(0)
    shown(['tcp', 'target'])
    await settled()
    expect(frames.value).toEqual([frame])
    shown([])
    await settled()
    expect(frames.value).toEqual([])
  })

  it('are asked for again when the cell has changed', async () => {
    const cell = openCell([])
    answered()
    shown(['target'])
    using(useTargetFrames)
    await settled()
    cell.cell = { ...cell.cell!, revision: 2 }
    await settled()
    expect(times('GET /api/cells/{id}/target-frames')).toBe(2)
  })

  it('say so when they don’t come', async () => {
    openCell([])
    begin({ 'GET /api/cells/{id}/target-frames': () => new Refusal(503, 'the server is busy') })
    shown(['target'])
    const frames = using(useTargetFrames)
    await settled()
    expect(useNotices().said).toContain('the server is busy')
    expect(frames.value).toEqual([])
  })
})

describe('handles', () => {
  /** A scene that keeps what handles it is told to show, and what they tell. */
  function told() {
    const now = { carried: null as Carried | null, hooks: {} as CarryHooks }
    const setHandles = (carried: Carried | null, hooks: CarryHooks = {}) => {
      // As handles do that are taken away in the middle of a drag.
      if (!carried) now.hooks.moved?.(new Matrix4())
      Object.assign(now, { carried, hooks })
    }
    return { now, scene: shallowRef({ stage: { setHandles } } as unknown as Scene) }
  }
  const by = (x: number) => new Matrix4().makeTranslation(x, 0, 0)

  it('on the TCP point along its frame, and ask for where they are dragged', async () => {
    openCell([])
    const jog = useJog()
    const { now, scene } = told()
    using(() => useHandles(scene, ref(false), vi.fn()))
    const world = [1, 2, 3, 0, 0, 0, 1]
    const tcp = { world, axes: [9, 9, 9, 0, 0, 1, 0], pose: {}, postures: [], singular: false }
    const reach = vi.spyOn(jog, 'reachInWorld').mockImplementation(() => undefined)
    jog.answer = { nodes: [], joints_deg_or_mm: {}, tcp } as never
    jog.handles = 'move'
    await nextTick()
    expect(now.carried).toMatchObject({ mode: 'move', at: [1, 2, 3, 0, 0, 1, 0], nodes: [] })
    now.hooks.moved!(by(0.5))
    // While it is dragged its handles stay where they were taken.
    const elsewhere = { ...tcp, world: [7, 7, 7, 0, 0, 0, 1] }
    jog.answer = { nodes: [], joints_deg_or_mm: {}, tcp: elsewhere } as never
    await nextTick()
    expect(now.carried!.at).toEqual([1, 2, 3, 0, 0, 1, 0])
    now.hooks.placed!(by(0.75))
    expect(reach.mock.calls.map(([at]) => at.slice(0, 3))).toEqual([
      [1.5, 2, 3],
      [1.75, 2, 3],
    ])
    jog.handles = null
    await nextTick()
    expect(now.carried).toBe(null)
  })

  it('on the selection tell how far it is dragged, and arrange it where it is left', async () => {
    const pose = { xyz_mm: [0, 0, 0], rpy_deg: [0, 0, 0] }
    const world = [1, 0, 0, 0, 0, 0, 1]
    const fact = { item: 'post', pose, world, axes: world }
    openCell([{ id: 'post' }], 'c', { item_nodes: [4] } as never)
    begin({
      'POST /api/cells/{id}/facts': () => [fact],
      'POST /api/cells/{id}/masses': () => [],
    })
    const [items, held] = [useItems(), useHeld()]
    const again = vi.fn()
    const { now, scene } = told()
    using(() => useHandles(scene, ref(false), again))
    const what = (await import('../what/whatStore')).useWhat()
    what.selected = new Set(['post'])
    await settled()
    items.toggleHandles('move')
    await nextTick()
    expect(now.carried).toMatchObject({ mode: 'move', at: [1, 0, 0, 0, 0, 0, 1] })
    now.hooks.moved!(by(0.25))
    expect(held.dragged!.by_mm.map(Math.round)).toEqual([250, 0, 0])
    expect(held.dragged!.turn_deg).toBe(0)
    await now.hooks.placed!(by(0.25))
    expect(held.dragged).toBe(null)
    expect(asked.map((a) => a.what)).toContain('POST /api/cells/{id}/arrange')
    expect(again).toHaveBeenCalled()
  })

  describe('on a target', () => {
    const pose = { xyz_mm: [0, 0, 0], rpy_deg: [0, 0, 0] }
    const program = {
      id: 'seal',
      name: 'Seal',
      robot: 'arm',
      targets: [
        { id: 'A', pose },
        { id: 'B', frame: 'table', pose },
      ],
      moves: [
        { move: 'joint', to: 'A', speed_percent: 50 },
        { move: 'linear', to: 'B', speed_mm_s: 100 },
        { move: 'wait', seconds: 1 },
      ],
    }
    const run = { lane: 0, nth: 0, starts_s: [0, 1, 3], ends_s: [1, 3, 4] }
    let placed: () => unknown
    function begun() {
      openCell([{ id: 'arm' }, { id: 'table' }], 'c', {
        document: {
          items: [],
          rules: [{}],
          programs: [program],
          run_plan: { lanes: [{ programs: ['seal'] }] },
        },
        path: { duration_s: 4, runs: [run], faults: [] },
      } as never)
      placed = () => structuredClone(toRaw(useCell().cell))
      begin({
        'POST /api/cells/{id}/target-facts': () => ({
          world: [1, 2, 3, 0, 0, 0, 1],
          axes: [9, 9, 9, 0, 0, 1, 0],
        }),
        'POST /api/cells/{id}/try': () => ({ pairs: [], now: [], nodes: [4], poses: [[]] }),
        'POST /api/cells/{id}/arrange': () => placed(),
      })
      const programs = usePrograms()
      programs.open = true
      programs.select(1)
      const { now, scene } = told()
      using(() => useHandles(scene, ref(false), vi.fn()))
      const named = { program: 'seal', target: 'B' }
      return { now, programs, target: useTarget(), named }
    }

    it('stand where it is, point along its frame, and are there when the robot is', async () => {
      const { now, target, named } = begun()
      target.toggleHandles('move')
      await settled()
      expect(now.carried).toMatchObject({ mode: 'move', at: [1, 2, 3, 0, 0, 1, 0], nodes: [] })
      const body = { ...named, frame: 'parent', time_s: 3 }
      expect(asked.at(-1)).toMatchObject({ what: 'POST /api/cells/{id}/target-facts', body })
      target.frame = 'own'
      await settled()
      expect(asked.at(-1)!.body).toMatchObject({ frame: 'own' })
    })

    it('ask what it comes to where it is dragged, and take it there', async () => {
      const { now, target, named } = begun()
      const trying = useTrying()
      target.toggleHandles('move')
      await settled()
      now.hooks.moved!(by(0.25))
      await settled()
      const how = { motion: { by: [0.25, 0, 0, 0, 0, 0, 1] } }
      expect(asked.at(-1)).toMatchObject({
        what: 'POST /api/cells/{id}/try',
        body: { target: named, how, time_s: 3 },
      })
      expect(trying.told!.nodes).toEqual([4])
      await now.hooks.placed!(by(0.25))
      expect(asked.map((a) => a.what)).toContain('POST /api/cells/{id}/arrange')
      expect([useHeld().dragged, trying.told]).toEqual([null, null])
    })

    it('leave nothing tried behind when they go in the middle of a drag', async () => {
      const { now, target } = begun()
      const trying = useTrying()
      target.toggleHandles('move')
      await settled()
      now.hooks.moved!(by(0.25))
      await settled()
      useHeld().on = null
      await settled()
      expect([useHeld().dragged, trying.told, trying.refused]).toEqual([null, null, ''])
    })

    it('are back where it was if it may not be elsewhere', async () => {
      const { now, target } = begun()
      target.toggleHandles('move')
      await settled()
      placed = () => new Refusal(422, 'no')
      now.hooks.moved!(by(0.25))
      const carried = now.carried
      await now.hooks.placed!(by(0.25))
      expect(now.carried).not.toBe(carried)
      expect(now.carried).toEqual(carried)
    })

    it('leave with the move, the panel, and when something else takes them', async () => {
      const { now, programs, target } = begun()
      target.toggleHandles('turn')
      await settled()
      programs.select(2)
      await settled()
      expect([target.handles, now.carried]).toEqual([null, null])
      programs.select(0)
      target.toggleHandles('move')
      await settled()
      expect(now.carried).not.toBe(null)
      useJog().handles = 'move'
      await settled()
      expect([target.handles, now.carried]).toEqual([null, null])
      target.toggleHandles('move')
      expect(useJog().handles).toBe(null)
      programs.open = false
      await settled()
      expect(useHeld().on).toBe(null)
    })
  })
})
