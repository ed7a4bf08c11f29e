import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'

import { useFindings } from '../findings/findingsStore'
import { useTrying } from '../findings/tryingStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useHeld } from '../what/heldStore'
import { useWhat } from '../what/whatStore'
import { useTarget } from '../when/targetStore'
import TryingCard from './TryingCard.vue'

const TRY = 'POST /api/cells/{id}/try'
const side = (name: string) => ({ item: name, name })
const pair = (b: string, attained_mm: number, verdict = 'broken') => ({
  a: side('Nozzle'),
  b: side(b),
  verdict,
  attained_mm,
  required_mm: 10,
  time_s: 1.5,
})
const told = (attained: number) => ({
  verdict: 'broken',
  broken: 2,
  not_certified: 0,
  tight: 7,
  pairs: [pair('Clamp', attained), pair('Post', 80, 'meets')],
  now: [
    { distance_mm: 900, on_a_mm: [0, 0, 0], on_b_mm: [900, 0, 0] },
    { distance_mm: 50, on_a_mm: [0, 0, 0], on_b_mm: [50, 0, 0] },
  ],
})

describe('what is dragged', () => {
  let pinia: Pinia
  let release: (() => void)[]
  let answers: unknown[]
  let cellRules: object[]

  beforeEach(() => {
    pinia = freshStores()
    release = []
    answers = [told(4.25), told(1), told(11)]
    cellRules = [{}]
    const last = { fresh: true, tag: 't', fingerprint: 'f' }
    const counts = { broken: 1, not_certified: 0, tight: 0, meets: 0 }
    begin({
      'GET /api/cells/{id}/sweep': () => last,
      'GET /api/cells/{id}/findings': () => ({ counts, pairs: [pair('Clamp', 12)], rules: [] }),
      [TRY]: async () => {
        const mine = answers.shift()
        await new Promise<void>((go) => release.push(go))
        return mine
      },
    })
  })
  const dragTo = async (x: number | null) => {
    const motion = [x ?? 0, 0, 0, 0, 0, 0, 1]
    useHeld().dragged = x === null ? null : { by_mm: [x * 1e3, 0, 0], turn_deg: 0, motion }
    await settled()
  }
  function card() {
    const document = { name: 'A cell', items: [], rules: cellRules }
    openCell([], 'c', { document } as never)
    useWhat().selected = new Set(['clamp'])
    useHeld().on = { what: 'selection', mode: 'move' }
    useTrying()
    return mounted(TryingCard, pinia)
  }
  const answerNext = async () => {
    release.shift()!()
    await settled()
  }

  it('is told of over the whole path, beside what the last sweep found', async () => {
    const findings = useFindings()
    const shown = card()
    await findings.load()
    await dragTo(0.1)
    expect(shown.find(byTest('trying')).exists()).toBe(false)
    await answerNext()
    expect(shown.get(byTest('trying-overall')).text()).toContain('2 broken, 7 tight')
    const rows = shown.findAll(byTest('trying-pair')).map((row) => row.text())
    expect(rows[0]).toContain('Nozzle – Clamp')
    expect(rows[0]).toMatch(/12\.0 → 4\.3 mm/)
    expect(rows[1]).not.toContain('→')
    expect(useTrying().near!.distance_mm).toBe(50)
  })

  it('is asked about where it is now, not where it was meanwhile', async () => {
    card()
    await dragTo(0.1)
    await dragTo(0.2)
    await dragTo(0.3)
    expect(times(TRY)).toBe(1)
    const trying = useTrying()
    await answerNext()
    expect(trying.behind).toBe(true)
    await answerNext()
    expect(trying.behind).toBe(false)
    const at = asked.map((a) => (a.body as { how: { motion: { by: number[] } } }).how.motion.by[0])
    expect(at).toEqual([0.1, 0.3])
  })

  const wanted = () => asked.map((a) => (a.body as { within_ms?: number }).within_ms)

  it('is told soon, as far as it is certain, and then looked at to the end', async () => {
    answers = [{ ...told(4.25), hurried: true, open: 12 }, told(3.5)]
    const shown = card()
    await dragTo(0.1)
    await answerNext()
    expect(shown.get(byTest('trying')).classes()).toContain('behind')
    expect(shown.get(byTest('trying-overall')).text()).toContain('7 tight, 12 still open')
    await answerNext()
    expect(wanted()).toEqual([expect.any(Number), undefined])
    expect(shown.get(byTest('trying')).classes()).not.toContain('behind')
    expect(shown.get(byTest('trying-overall')).text()).not.toContain('open')
    expect(shown.text()).toContain('3.5')
    expect(times(TRY)).toBe(2)
  })

  it('is told as open, not as doubtful, where it was not looked at to the end', async () => {
    const open = { ...pair('Clamp', 12, 'not_certified'), complete: false }
    const broken = { ...pair('Post', 2), complete: false }
    const none = { verdict: 'not_certified', broken: 0, tight: 0, pairs: [open, broken] }
    answers = [{ ...told(1), ...none, hurried: true, open: 3 }]
    const shown = card()
    await dragTo(0.1)
    await answerNext()
    expect(shown.get(byTest('trying-overall')).text()).toContain('Not all is looked at yet')
    expect(shown.get(byTest('trying-pair')).text()).toContain('still open · needs')
    expect(shown.get(byTest('trying-pair')).text()).toContain('≤ 12.0 mm')
    expect(shown.text()).not.toContain('certified')
    expect(shown.findAll(byTest('trying-pair'))[1]!.text()).toContain('broken · needs')
  })

  it('is looked at to the end no longer when it moves on', async () => {
    answers = [{ ...told(4.25), hurried: true }, told(3.5), { ...told(8), hurried: false }]
    const shown = card()
    await dragTo(0.1)
    await answerNext()
    await dragTo(0.2)
    expect(times(TRY)).toBe(3)
    // What nobody waits for any more is answered late.
    await answerNext()
    expect(shown.text()).not.toContain('3.5')
    await answerNext()
    expect(shown.text()).toContain('8.0')
    expect(wanted()).toEqual([expect.any(Number), undefined, expect.any(Number)])
    expect(times(TRY)).toBe(3)
  })

  it('is forgotten when it is let go, also what is answered afterwards', async () => {
    const shown = card()
    await dragTo(0.1)
    await dragTo(null)
    await answerNext()
    expect(useTrying().told).toBe(null)
    expect(shown.find(byTest('trying')).exists()).toBe(false)
  })

  it('says why nothing can be told', async () => {
    answers = [new Refusal(422, 'The run plan can’t be run: out of reach.')]
    const shown = card()
    await dragTo(0.1)
    await answerNext()
    expect(shown.get(byTest('trying')).text()).toContain('out of reach')
  })

  it('is asked nothing about in a cell without rules', async () => {
    cellRules = []
    card()
    await dragTo(0.1)
    expect(times(TRY)).toBe(0)
  })

  it('is made ready for as it is taken hold of, where there are rules', async () => {
    const READY = 'POST /api/cells/{id}/try/ready'
    card()
    const taken = async (what: 'selection' | 'tcp' | null) => {
      useHeld().on = what && { what, mode: 'move' }
      await settled()
      return times(READY)
    }
    expect(await taken(null)).toBe(0)
    expect(await taken('selection')).toBe(1)
    // What is jogged is told of otherwise.
    expect(await taken('tcp')).toBe(1)
    cellRules.length = 0
    expect(await taken('selection')).toBe(1)
    expect(useTrying().told).toBe(null)
  })

  it('of a target is told of the moves to and from it alone', async () => {
    const findings = useFindings()
    const shown = card()
    await findings.load()
    useHeld().on = { what: 'target', mode: 'move' }
    vi.spyOn(useTarget(), 'target', 'get').mockReturnValue({ id: 'B' } as never)
    await dragTo(0.1)
    await answerNext()
    expect(shown.get(byTest('trying-part')).text()).toBe('In the moves to and from B:')
    expect(shown.get(byTest('trying-pair')).text()).not.toContain('→')
  })

  it('of a target is told to come near nothing only once all is looked at', async () => {
    const nothing = { ...told(4), pairs: [] }
    answers = [{ ...nothing, hurried: true, open: 40 }, nothing]
    const shown = card()
    useHeld().on = { what: 'target', mode: 'move' }
    vi.spyOn(useTarget(), 'target', 'get').mockReturnValue({ id: 'B' } as never)
    await dragTo(0.1)
    await answerNext()
    expect(shown.get(byTest('trying-part')).text()).toContain('nothing is certain yet')
    await answerNext()
    expect(shown.get(byTest('trying-part')).text()).toContain('nothing comes near')
  })
})
