import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useStrip } from './stripStore'
import { useWhen } from './whenStore'

const runs = [
  { lane: 0, nth: 0, program: 'A', robot: 'R', starts_s: [0, 4], ends_s: [4, 9] },
  { lane: 1, nth: 0, program: 'B', robot: 'S', starts_s: [2], ends_s: [6] },
]

describe('the part of the path on the strip', () => {
  beforeEach(() => {
    freshStores()
    begin({ 'GET /api/cells/{id}/poses': () => [] })
    openCell([], 'c', { path: { duration_s: 10, runs } } as never)
  })

  it('keeps the instant under the pointer where it is, down to a millisecond', () => {
    const strip = useStrip()
    strip.zoom(0.5, 8)
    expect(strip.shown).toEqual([4, 9])
    for (let i = 0; i < 50; i++) strip.zoom(0.5, 8)
    const [from, to] = strip.shown
    expect(to - from).toBeCloseTo(1e-3, 9)
    expect((8 - from) / (to - from)).toBeCloseTo(0.8, 4)
  })

  it('never reaches beyond the path, and is all of it in the end', () => {
    const strip = useStrip()
    strip.show([6, 9])
    strip.slide(5)
    expect(strip.shown).toEqual([7, 10])
    strip.slide(-50)
    expect(strip.shown).toEqual([0, 3])
    strip.zoom(10, 1)
    expect([strip.part, strip.shown]).toEqual([null, [0, 10]])
  })

  it('is fitted to what was marked', () => {
    const strip = useStrip()
    strip.marked = [2, 3]
    strip.fit()
    expect([strip.part, strip.marked]).toEqual([[2, 3], null])
  })

  it('follows the play head: into the middle, or by pages while it plays', async () => {
    const [strip, when] = [useStrip(), useWhen()]
    strip.show([2, 4])
    when.time = 3.9
    await nextTick()
    expect(strip.shown).toEqual([2, 4])
    when.time = 7
    await nextTick()
    expect(strip.shown).toEqual([6, 8])
    when.playing = true
    when.time = 8.1
    await nextTick()
    expect(strip.shown[0]).toBeCloseTo(8, 9)
  })

  it('is forgotten with the cell', async () => {
    const strip = useStrip()
    strip.show([2, 4])
    openCell([], 'd', { path: { duration_s: 10, runs } } as never)
    await nextTick()
    expect(strip.part).toBe(null)
  })

  it('steps go to where moves begin and end, of all lanes', () => {
    const when = useWhen()
    const at = (by: 1 | -1) => {
      when.step(by)
      return when.time
    }
    expect([at(1), at(1), at(1), at(1), at(1)]).toEqual([2, 4, 6, 9, 9])
    expect([at(-1), at(-1), at(-1), at(-1), at(-1)]).toEqual([6, 4, 2, 0, 0])
  })

  it('steps go from knot to knot, and of two keys the later counts', async () => {
    const when = useWhen()
    const late: (() => void)[] = []
    begin({
      'GET /api/cells/{id}/poses': () => [],
      'GET /api/cells/{id}/knots': ({ query }) => {
        const at = query!.time_s as number
        const about = { before_s: at ? at - 0.5 : null, after_s: at + 0.25 }
        return late.length ? about : new Promise((resolve) => late.push(() => resolve(about)))
      },
    })
    const first = when.stepKnot(1)
    await when.stepKnot(1)
    expect(when.time).toBe(0.25)
    late.forEach((answers) => answers())
    await first
    expect(when.time).toBe(0.25)
    when.goTo(0)
    await when.stepKnot(-1)
    expect(when.time).toBe(0)
    when.goTo(3)
    await when.stepKnot(-1)
    expect(when.time).toBe(2.5)
  })
})
