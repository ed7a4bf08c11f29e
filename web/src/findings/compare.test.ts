import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Pair } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled, times } from '../testing/standIn'
import { useStrip } from '../when/stripStore'
import CompareSweeps from './CompareSweeps.vue'
import { useCompare } from './compareStore'
import { useFindings } from './findingsStore'
import PartFound from './PartFound.vue'
import { usePart } from './partStore'
import { useProfile } from './profileStore'

const SWEEPS = 'GET /api/cells/{id}/sweeps'
const COMPARE = 'GET /api/cells/{id}/comparison'
const PROFILE = 'POST /api/cells/{id}/profile'
const PAIRS = 'GET /api/cells/{id}/findings/pairs'
const side = (name: string) => ({ item: name.toLowerCase(), name })
const pair = (a: string) =>
  ({ a: side(a), b: side('Post'), rule: 'R', verdict: 'broken', time_s: 1 }) as unknown as Pair
const kept = (fingerprint: string, revision: number, name: string | null = null) => ({
  ...{ fingerprint, revision, name, at: '2026-11-01T12:00:00Z', verdict: 'broken' },
  ...{ broken: 1, not_certified: 0, tight: 2, pairs: 9 },
})
const change = (became: string, a: string) => ({
  ...{ became, what: `R: ${a} – Post`, before: 'meets', now: 'broken' },
  ...{ numbers: '20.000 mm → 4.000 mm', between: [side(a), side('Post')] },
})
const whole = { ceiling_mm: 200, edges_s: [0, 10], lower_mm: [3], attained_mm: [4] }

let pinia: Pinia
let sweeps: object[]
let changes: object[]
beforeEach(async () => {
  pinia = freshStores()
  sweeps = [kept('f', 3), kept('e', 2), kept('d', 1, 'As it came')]
  changes = [change('worse', 'Hook')]
  begin({
    'GET /api/cells/{id}/sweep': () => ({ fresh: true, tag: 't', fingerprint: 'f' }),
    'GET /api/cells/{id}/findings': () => ({
      counts: { broken: 2, not_certified: 0, tight: 0, meets: 0 },
      pairs: [pair('Hook'), pair('Nozzle')],
      rules: [],
      band: whole,
    }),
    [SWEEPS]: () => sweeps,
    [COMPARE]: ({ query }) => ({ changes, band: { ...whole, edges_s: [query!.with] } }),
    'PUT /api/cells/{id}/sweeps/{fingerprint}': () => ({}),
    [PROFILE]: ({ body }) => ({ ...whole, asked: body }),
    [PAIRS]: () => [pair('Hook')],
  })
  openCell([], 'c')
  await useFindings().load()
})

describe('an earlier sweep', () => {
  async function opened() {
    const shown = mounted(CompareSweeps, pinia)
    useCompare().open = true
    await settled()
    return shown
  }

  it('is the one before, until another is chosen; named ones go by their name', async () => {
    const shown = await opened()
    expect(asked.find((a) => a.what === COMPARE)!.query).toEqual({ fingerprint: 'f', with: 'e' })
    const options = shown.findAll('option').map((o) => o.text())
    expect(options).toHaveLength(2)
    expect(options[0]).toContain('revision 2')
    expect(options[1]).toContain('As it came · 1 broken, 2 tight')
    await shown.get(byTest('earlier-sweep')).setValue('d')
    await settled()
    expect(useCompare().band!.edges_s).toEqual(['d'])
  })

  it('tells what became worse, and goes there', async () => {
    const shown = await opened()
    const findings = useFindings()
    const shows = vi.spyOn(findings, 'showEvidence').mockResolvedValue()
    expect(shown.get(byTest('change')).text()).toContain('worse · R: Hook – Post')
    expect(shown.get(byTest('change')).text()).toContain('was meets')
    await shown.get(byTest('change')).trigger('click')
    await settled()
    expect(shows).toHaveBeenCalledWith(findings.pairs[0])
  })

  it('may differ in nothing, or not be there at all', async () => {
    changes = []
    expect((await opened()).get(byTest('no-change')).text()).toContain('Nothing became')
    sweeps = [kept('f', 3)]
    useCompare().open = false
    await settled()
    const alone = await opened()
    expect(alone.text()).toContain('There is no earlier sweep')
  })
})

describe('the band of a part of the path', () => {
  it('is asked for once it rests, with that of the pair that is looked at', async () => {
    vi.useFakeTimers()
    const [profile, strip, findings] = [useProfile(), useStrip(), useFindings()]
    expect(profile.band).toEqual(whole)
    strip.show([2, 4])
    await nextTick()
    strip.show([2, 3])
    findings.shown = findings.pairs[0]!
    await vi.advanceTimersByTimeAsync(400)
    expect(times(PROFILE)).toBe(2)
    expect(profile.band).toMatchObject({ asked: { from_s: 2, to_s: 3, between: null } })
    const between = [{ item: 'hook' }, { item: 'post' }]
    expect(profile.ofPair).toMatchObject({ asked: { from_s: 2, to_s: 3, between } })
    strip.showAll()
    findings.shown = null
    await nextTick()
    expect([profile.band, profile.ofPair]).toEqual([whole, null])
    vi.useRealTimers()
  })
})

describe('pairs that are wanted', () => {
  it('are asked for by name and verdict, and gone through by key', async () => {
    vi.useFakeTimers()
    const findings = useFindings()
    findings.wanted.called = 'hook'
    findings.wanted.verdict = 'broken'
    await vi.advanceTimersByTimeAsync(300)
    const { query } = asked.find((a) => a.what === PAIRS)!
    expect(query).toEqual({ fingerprint: 'f', from: 0, called: 'hook', verdict: 'broken' })
    expect(findings.filtered).toEqual([findings.pairs[0]])
    findings.wanted.called = ''
    findings.wanted.verdict = ''
    await vi.advanceTimersByTimeAsync(300)
    expect(findings.filtered).toBe(null)
    vi.useRealTimers()
  })
})

describe('a part that is swept alone', () => {
  const PART = 'POST /api/cells/{id}/sweep-part'
  const told = (from_s: number) => ({
    ...{ from_s, to_s: 4, verdict: 'broken', broken: 1, not_certified: 0, tight: 0, count: 9 },
    pairs: [{ ...pair('Hook'), attained_mm: 3, required_mm: 10 }],
  })

  it('tells its worst pairs, goes there, and is old with the model', async () => {
    begin({
      'GET /api/cells/{id}/sweep': () => ({ fresh: false, tag: 't', fingerprint: 'f' }),
      [PART]: ({ body }) => told((body as { from_s: number }).from_s),
    })
    const [part, findings] = [usePart(), useFindings()]
    const shown = mounted(PartFound, pinia)
    findings.tab = 'reach'
    await part.sweep([2, 4])
    await settled()
    expect(findings.tab).toBe('clearance')
    expect(asked.find((a) => a.what === PART)!.body).toEqual({ from_s: 2, to_s: 4 })
    expect(shown.text()).toContain('From 00:02.000 to 00:04.000: 1 broken')
    const shows = vi.spyOn(findings, 'showEvidence').mockResolvedValue()
    await shown.get(byTest('pair-row')).trigger('click')
    expect(shows).toHaveBeenCalledWith(part.found!.pairs[0])
    openCell([], 'c', { fingerprint: 'g' })
    await nextTick()
    expect(part.found).toBe(null)
  })

  it('is that which was asked for last', async () => {
    const late: (() => void)[] = []
    begin({
      [PART]: ({ body }) => {
        const { from_s } = body as { from_s: number }
        return from_s === 2
          ? new Promise((resolve) => late.push(() => resolve(told(2))))
          : told(from_s)
      },
    })
    const part = usePart()
    const first = part.sweep([2, 4])
    await part.sweep([3, 4])
    late.forEach((answers) => answers())
    await first
    expect(part.found!.from_s).toBe(3)
  })
})
