import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell, Pair } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { freshStores } from '../testing/freshStores'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { stretchOf, useFindings } from './findingsStore'
import { useNotices } from '../cell/noticesStore'

const SWEEP = 'GET /api/cells/{id}/sweep'
const FINDINGS = 'GET /api/cells/{id}/findings'
const CERTAIN = 'GET /api/cells/{id}/certain'
const PAIRS = 'GET /api/cells/{id}/findings/pairs'

const side = (name: string) => ({ item: name.toLowerCase(), name })
const pair = (n: number) =>
  ({ a: side(`A${n}`), b: side(`B${n}`), rule: 'R', time_s: 0 }) as unknown as Pair
const page = (from: number, to: number) =>
  Array.from({ length: Math.max(0, to - from) }, (_, n) => pair(from + n))
const found = (of: number) => ({
  counts: { broken: 2, not_certified: 0, tight: 1, meets: of - 3 },
  pairs: page(0, Math.min(of, 100)),
  rules: [],
})

describe('what was found', () => {
  let last: object
  let many: number

  beforeEach(() => {
    freshStores()
    last = { fresh: true, tag: 'f1n1', fingerprint: 'f1' }
    many = 250
    begin({
      [SWEEP]: () => last,
      [FINDINGS]: () => found(many),
      [PAIRS]: ({ query }) => {
        const from = Number(query!.from)
        return page(from, Math.min(many, from + 100))
      },
      'POST /api/cells/{id}/sweep': () => ({ job: 'j' }),
      'DELETE /api/jobs/{job}': () => ({}),
    })
    const document = { items: [] }
    const path = { duration_s: 0 }
    useCell().cell = { id: 'c', fingerprint: 'f1', names: 'n1', document, path } as unknown as Cell
  })

  it('is fetched once, and again only when it is something else', async () => {
    const findings = useFindings()
    await findings.load()
    await findings.load()
    expect([times(SWEEP), times(FINDINGS)]).toEqual([2, 1])
    expect(findings.fresh).toBe(true)
    last = { fresh: true, tag: 'f1n2', fingerprint: 'f1' }
    const loading = findings.load()
    // Until then what there was stays where it is.
    for (let turn = 0; turn < 4; turn++) {
      expect(findings.findings).not.toBe(null)
      await Promise.resolve()
    }
    await loading
    expect(times(FINDINGS)).toBe(2)
  })

  it('is asked for after an edit of the model or a name in it, and after no other', async () => {
    const findings = useFindings()
    await findings.load()
    const cell = useCell()
    cell.cell = { ...cell.cell!, revision: 2 }
    await settled()
    expect(times(SWEEP)).toBe(1)
    last = { fresh: false, tag: 'f1', fingerprint: 'f1' }
    cell.cell = { ...cell.cell!, fingerprint: 'f2' }
    await settled()
    expect(times(SWEEP)).toBe(2)
    expect(findings.fresh).toBe(false)
    // Undone: the sweep that fits again is found.
    last = { fresh: true, tag: 'f1n1', fingerprint: 'f1' }
    cell.cell = { ...cell.cell!, fingerprint: 'f1' }
    await settled()
    expect(findings.fresh).toBe(true)
    cell.cell = { ...cell.cell!, names: 'n2' }
    await settled()
    expect(times(SWEEP)).toBe(4)
  })

  it('comes in pages, each asked for once, until there are no more', async () => {
    const findings = useFindings()
    await findings.load()
    expect([findings.pairs.length, findings.count]).toEqual([100, 250])
    expect(await findings.more()).toBe(true)
    expect(await findings.more()).toBe(true)
    expect(await findings.more()).toBe(false)
    expect(findings.pairs.length).toBe(250)
    expect(asked.filter((a) => a.what === PAIRS).map((a) => a.query!.from)).toEqual([100, 200])
  })

  it('finds a pair on whatever page it stands, and none that is not there', async () => {
    const findings = useFindings()
    await findings.load()
    expect((await findings.find((p) => p.a.name === 'A7'))?.a.item).toBe('a7')
    expect(times(PAIRS)).toBe(0)
    expect((await findings.find((p) => p.a.name === 'A231'))?.a.item).toBe('a231')
    expect(await findings.find((p) => p.a.name === 'B')).toBeUndefined()
    expect(times(PAIRS)).toBe(2)
  })

  it('says what can not be read any more, and shows nothing old', async () => {
    const findings = useFindings()
    await findings.load()
    begin({
      [SWEEP]: () => ({ fresh: true, tag: 'g', fingerprint: 'g' }),
      [FINDINGS]: () => new Refusal(404, 'they are of another version'),
    })
    await findings.load()
    expect([findings.findings, findings.pairs, findings.unreadable]).toEqual([
      null,
      [],
      'they are of another version',
    ])
  })

  it('tells how a sweep stands: waiting, running, lost, stopped', async () => {
    const findings = useFindings()
    const running = { id: 'j', done: 0, total: 0, elapsed_s: 0, waiting: true }
    last = { fresh: false, running }
    await findings.load()
    expect(findings.job?.waiting).toBe(true)
    const event = { event: 'job', cell: 'c', job: 'j', done: 3, total: 9, elapsed_s: 1 } as const
    findings.heard({ ...event, state: 'running' })
    expect([findings.job?.waiting, findings.job?.done]).toEqual([false, 3])
    last = { fresh: false, lost: 'it was begun 5 times and never ended' }
    findings.heard({ ...event, state: 'lost' })
    await settled()
    expect([findings.job, findings.lost]).toEqual([null, 'it was begun 5 times and never ended'])
    findings.heard({ ...event, state: 'stopped' })
    expect(useNotices().said).toContain('stopped')
  })

  it('is told as far as it is certain already, where no sweep of the model has ended', async () => {
    const findings = useFindings()
    const counts = { broken: 1, not_certified: 0, tight: 0, meets: 2 }
    const certain = { looked_at: 3, count: 12, ...counts, pairs: [] }
    let looked_at = 3
    begin({
      [SWEEP]: () => last,
      [FINDINGS]: () => found(many),
      [CERTAIN]: () => ({ ...certain, looked_at }),
    })
    await findings.load()
    await settled()
    expect([findings.certain, times(CERTAIN)]).toEqual([null, 0])
    last = { fresh: false, tag: 'f0', fingerprint: 'f0' }
    await findings.load()
    await settled()
    expect(findings.certain).toEqual(certain)
    // While one runs it is told by that, and nothing at all is no news.
    last = { ...last, running: { id: 'j', done: 0, total: 12, elapsed_s: 0, waiting: true } }
    await findings.load()
    await settled()
    expect(findings.certain).toBe(null)
    looked_at = 0
    last = { fresh: false, tag: 'f0', fingerprint: 'f0' }
    await findings.load()
    await settled()
    expect([findings.certain, times(CERTAIN)]).toEqual([null, 2])
  })

  it('stops the sweep that runs, and asks how it stands, for nobody else may say it', async () => {
    const findings = useFindings()
    await findings.stop()
    expect(asked).toEqual([])
    last = { running: { id: 'j', done: 1, total: 2, elapsed_s: 1, waiting: false } }
    await findings.load()
    last = { fresh: false }
    await findings.stop()
    expect(asked.find((a) => a.what === 'DELETE /api/jobs/{job}')?.id).toBe('j')
    expect(findings.job).toBeNull()
  })

  it('is swept by itself where that is wanted, once for each state of the model', async () => {
    vi.useFakeTimers()
    const findings = useFindings()
    await findings.load()
    const sweeps = () => times('POST /api/cells/{id}/sweep')
    const cell = useCell()
    const edited = async (fingerprint: string) => {
      last = { fresh: false, tag: 'f1', fingerprint: 'f1' }
      cell.cell = { ...cell.cell!, fingerprint }
      await vi.advanceTimersByTimeAsync(1000)
    }
    await edited('f2')
    expect(sweeps()).toBe(0)
    useSettings().sweeping.byItself = true
    await vi.advanceTimersByTimeAsync(1000)
    expect(sweeps()).toBe(1)
    // Stopped by hand it rests until the model changes again.
    findings.heard({ event: 'job', state: 'stopped' } as never)
    await vi.advanceTimersByTimeAsync(1000)
    expect(sweeps()).toBe(1)
    await edited('f3')
    expect(sweeps()).toBe(2)
    vi.useRealTimers()
  })

  it('is gone through by closest approaches, the worst first, page by page', async () => {
    const findings = useFindings()
    await findings.load()
    const evidence = { section: { point_mm: [0, 0, 0], normal: [0, 0, 1] }, viewpoint: {} }
    begin({
      [PAIRS]: ({ query }) => page(Number(query!.from), Number(query!.from) + 100),
      'POST /api/evidence': () => evidence,
    })
    vi.stubGlobal('requestAnimationFrame', () => 0)
    await findings.step(1)
    expect(findings.shown).toBe(findings.pairs[0])
    await findings.step(1)
    await findings.step(-1)
    await findings.step(-1)
    expect(findings.shown).toBe(findings.pairs[0])
    findings.shown = findings.pairs[99]!
    await findings.step(1)
    expect(findings.shown).toBe(findings.pairs[100])
  })

  it('is that of the later question, whichever answer comes first', async () => {
    const findings = useFindings()
    const late: (() => void)[] = []
    begin({
      [SWEEP]: () => last,
      [FINDINGS]: ({ query }) =>
        query!.fingerprint === 'f1'
          ? new Promise((resolve) => late.push(() => resolve(found(7))))
          : found(9),
    })
    const first = findings.load()
    await settled()
    last = { fresh: true, tag: 'f2n1', fingerprint: 'f2' }
    await findings.load()
    late.forEach((answers) => answers())
    await first
    expect([findings.madeOf, findings.count]).toEqual(['f2', 9])
  })

  it('shows the evidence that was clicked last, and none after it was left', async () => {
    const findings = useFindings()
    await findings.load()
    const late: (() => void)[] = []
    const evidence = { section: { point_mm: [0, 0, 0], normal: [0, 0, 1] }, viewpoint: {} }
    begin({
      'POST /api/evidence': () => new Promise((resolve) => late.push(() => resolve(evidence))),
    })
    vi.stubGlobal('requestAnimationFrame', () => 0)
    const [one, other] = [findings.pairs[0]!, findings.pairs[1]!]
    const both = [findings.showEvidence(one), findings.showEvidence(other)]
    await settled()
    late.reverse().forEach((answers) => answers())
    await Promise.all(both)
    expect(findings.shown).toBe(other)
    const again = findings.showEvidence(one)
    await settled()
    findings.leaveEvidence()
    late.at(-1)!()
    await again
    expect(findings.shown).toBe(null)
  })

  it('says why no sweep was begun', async () => {
    const findings = useFindings()
    begin({ 'POST /api/cells/{id}/sweep': () => new Refusal(422, 'the run plan can not be run') })
    await findings.sweep()
    expect(useNotices().said).toBe('the run plan can not be run')
  })
})

describe('the stretch round a closest approach', () => {
  const broken = [
    { start_s: [1, 1.1], end_s: [1.9, 2] },
    { start_s: [4, 4.1], end_s: [4.9, 5] },
  ]
  it('is that in which the rule is broken then, as long as it may be', () => {
    expect(stretchOf({ broken, time_s: 4.5 })).toEqual([4, 5])
    expect(stretchOf({ broken, time_s: 2 })).toEqual([1, 2])
  })
  it('is the instant alone where no rule is broken then', () => {
    expect(stretchOf({ broken, time_s: 3 })).toEqual([3, 3])
  })
})
