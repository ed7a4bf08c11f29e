import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { clock, useWhen } from './whenStore'

const RATE = 50
const PART = 20

/** What the server sends of a path: a frame stands at x = time and turns about Z by 0.1 rad/s. */
function part(number: number, duration: number): ArrayBuffer {
  const [first, last] = [number * PART * RATE, Math.ceil(duration * RATE)]
  const samples: number[] = []
  for (let step = first; step <= Math.min(last, first + PART * RATE); step++) {
    const t = Math.min(step / RATE, duration)
    samples.push(t, 0, 0, 0, 0, Math.sin(0.05 * t), Math.cos(0.05 * t))
  }
  return new Float32Array(samples).buffer as ArrayBuffer
}

describe('what moves, and when', () => {
  let asked: string[] = []
  let gate: Promise<void> | undefined
  let duration = 70

  function opened(id = 'a') {
    useCell().cell = { id, path: { duration_s: duration }, moving_nodes: [7] } as unknown as Cell
    return useWhen()
  }
  const parts = () => asked.map((url) => Number(url.split('part=')[1]))
  const x = () => useWhen().posesNow()[0]?.[0]

  beforeEach(() => {
    freshStores()
    asked = []
    gate = undefined
    duration = 70
    vi.stubGlobal('fetch', async (url: string) => {
      if (!String(url).includes('/track')) return new Response('{}', { status: 503 })
      asked.push(url)
      await gate
      return new Response(part(Number(url.split('part=')[1]), duration))
    })
  })
  afterEach(() => vi.unstubAllGlobals())

  it('fetches the part one looks at, and stands between its samples', async () => {
    const when = opened()
    await when.load()
    expect(parts()).toEqual([0])
    when.goTo(5.013)
    expect(x()).toBeCloseTo(5.013, 4)
    const [, , , , , z, w] = when.posesNow()[0]! as number[]
    expect(2 * Math.atan2(z!, w!)).toBeCloseTo(0.5013, 4)
  })

  it('fetches another part when one goes there, once however often it is asked', async () => {
    const when = opened()
    await when.load()
    when.goTo(65.5)
    when.posesNow()
    when.posesNow()
    await vi.waitFor(() => expect(when.track?.has(3)).toBe(true))
    expect(parts()).toEqual([0, 3])
    expect(x()).toBeCloseTo(65.5, 4)
    when.goTo(70)
    expect(x()).toBeCloseTo(70, 4)
    expect(parts()).toEqual([0, 3])
  })

  it('begins with the part one is in when the path changes', async () => {
    const when = opened()
    await when.load()
    when.goTo(45)
    asked = []
    await when.load()
    expect(parts()).toEqual([2])
    expect(x()).toBeCloseTo(45, 4)
  })

  it('draws nothing that was asked of a path shown before', async () => {
    const when = opened()
    await when.load()
    let open = () => {}
    gate = new Promise((resolve) => (open = resolve))
    when.goTo(30)
    when.posesNow()
    gate = undefined
    duration = 25
    opened('b')
    await when.load()
    expect([...when.track!.keys()]).toEqual([1])
    const now = when.track!.get(1)
    open()
    await new Promise((r) => setTimeout(r, 5))
    expect(when.track!.get(1)).toBe(now)
  })

  it('keeps no more than ten minutes and a little of a long path', async () => {
    duration = 90_000
    const when = opened()
    await when.load()
    for (let part = 1; part <= 40; part++) {
      when.goTo(part * PART + 1)
      when.posesNow()
      await vi.waitFor(() => expect(when.track!.has(part)).toBe(true))
    }
    expect(when.track!.size).toBeLessThanOrEqual(33)
    expect(x()).toBeCloseTo(801, 3)
  })

  it('does not go beyond the ends, and asks for nothing behind them', async () => {
    const when = opened()
    await when.load()
    when.goTo(1e9)
    expect(when.time).toBe(70)
    when.goTo(-3)
    expect(when.time).toBe(0)
    expect(parts().every((p) => p <= 3)).toBe(true)
  })

  it('has nothing to play where a cell has no path', async () => {
    duration = 0
    const when = opened()
    await when.load()
    expect(when.track).toBeUndefined()
    when.togglePlay()
    expect(when.playing).toBe(false)
    expect(when.posesNow()).toEqual([])
  })

  it('shows a clock', () => {
    expect([clock(0), clock(61.2345), clock(3599.9996)]).toEqual([
      '00:00.000',
      '01:01.235',
      '60:00.000',
    ])
  })
})
