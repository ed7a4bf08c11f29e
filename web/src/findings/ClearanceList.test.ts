import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Findings, Pair } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import ClearanceList from './ClearanceList.vue'
import { useFindings } from './findingsStore'

let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
})

function pair(name: string, verdict: string, by: Partial<Pair> = {}): Pair {
  return {
    a: { item: name, name },
    b: { item: 'post', name: 'Post' },
    verdict,
    attained_mm: 12.34,
    lower_mm: 12.3,
    required_mm: 10,
    time_s: 3.5,
    reasons: [],
    broken: [],
    touching_for_s: [0, 0],
    broken_for_s: [0, 0],
    ...by,
  } as unknown as Pair
}
function swept(pairs: Pair[], by: Partial<Findings> = {}) {
  const findings = useFindings()
  const of = (verdict: string) => pairs.filter((p) => p.verdict === verdict).length
  const counts = {
    broken: of('broken'),
    tight: of('tight'),
    not_certified: of('not_certified'),
    meets: of('meets'),
  }
  findings.findings = {
    counts,
    rules: [{ name: 'All', reasons: [], pairs: pairs.length }],
    left_out: [{ a: { name: 'A' }, b: { name: 'B' }, reason: 'they are bolted' }],
    left_out_count: 1,
    tolerance_mm: 0.1,
    caveats: [],
    ...by,
  } as unknown as Findings
  findings.pairs = pairs
  return findings
}
const cards = (list: ReturnType<typeof mounted>) => list.findAll(byTest('finding'))

describe('the list of clearances', () => {
  it('offers a sweep while there is none', async () => {
    const findings = useFindings()
    findings.sweep = vi.fn()
    const list = mounted(ClearanceList, pinia)
    expect(list.text()).toContain('Nothing has been swept yet.')
    await list.get('button').trigger('click')
    expect(findings.sweep).toHaveBeenCalledOnce()
  })

  it('groups them by what runs at the closest approach, and by whose bodies they are', async () => {
    const runs = (...moves: string[]) => ({ moves })
    swept([
      pair('Hook', 'broken', runs('Seal: linear to P1', 'Load: wait')),
      pair('Arm', 'tight', runs('Seal: linear to P2', 'Load: wait')),
      pair('Hook', 'tight', runs()),
    ])
    const list = mounted(ClearanceList, pinia)
    const grouped = async (how: string) => {
      await list.get(byTest('grouping')).setValue(how)
      return list.findAll(byTest('group')).map((g) => g.text())
    }
    expect(list.findAll(byTest('group'))).toHaveLength(0)
    expect(await grouped('programs')).toEqual(['Seal · Load', 'while nothing runs'])
    expect(await grouped('moves')).toHaveLength(3)
    expect(await grouped('items')).toEqual(['Hook – post', 'Arm – post'])
    expect(cards(list)).toHaveLength(3)
  })

  it('shows all that is not as it should be, and the nearest of the others', () => {
    const meets = Array.from({ length: 9 }, (_, i) => pair(`Far ${i}`, 'meets'))
    swept([pair('Hook', 'broken'), pair('Arm', 'tight'), ...meets])
    const list = mounted(ClearanceList, pinia)
    expect(cards(list)).toHaveLength(6)
    expect(list.get(byTest('more-pairs')).text()).toBe('5 more pairs meet their rule')
  })

  it('shows the rest when asked, and fewer again', async () => {
    swept([pair('Hook', 'broken'), ...Array.from({ length: 9 }, (_, i) => pair(`F${i}`, 'meets'))])
    const list = mounted(ClearanceList, pinia)
    await list.get(byTest('more-pairs')).trigger('click')
    expect(cards(list)).toHaveLength(10)
    await list.findAll('button').at(-1)!.trigger('click')
    expect(cards(list)).toHaveLength(5)
  })

  it('tells what was certified, and goes there on a click', async () => {
    const broken = pair('Hook', 'broken', {
      broken_for_s: [0.1, 0.25],
      attained_mm: 4.2,
      lower_mm: 4.15,
    })
    const findings = swept([broken])
    findings.showEvidence = vi.fn()
    const [card] = cards(mounted(ClearanceList, pinia))
    expect(card!.text()).toContain('4.2 mm')
    expect(card!.text()).toContain('broken · needs 10')
    expect(card!.text()).toContain('for 0.250 s')
    expect(card!.attributes('title')).toBe('Go there: certified between 4.150 and 4.200 mm')
    await card!.trigger('click')
    expect(findings.showEvidence).toHaveBeenCalledWith(broken)
  })

  it('never shows a wide bracket as a number: only its certain end', () => {
    swept([pair('Hook', 'meets', { lower_mm: 200, attained_mm: 1e6 })])
    expect(cards(mounted(ClearanceList, pinia))[0]!.text()).toContain('over 200 mm')
  })

  it('says of what touches for how long it does', () => {
    swept([pair('Hook', 'broken', { touching_for_s: [0.04, 0.05], broken_for_s: [0.2, 0.3] })])
    expect(cards(mounted(ClearanceList, pinia))[0]!.text()).toContain('touches for 0.040 s')
  })

  it('gives the reasons for what is not certified, of pairs and of rules', () => {
    const rules = [{ name: 'Guards', reasons: ['“gate” is not there'], pairs: 1 }]
    const open = pair('Hood', 'not_certified', { reasons: ['it is open here'] })
    swept([open], { rules } as unknown as Partial<Findings>)
    const list = mounted(ClearanceList, pinia)
    expect(list.get(byTest('rule-gap')).text()).toContain('not certified · “gate” is not there')
    expect(cards(list)[0]!.text()).toContain('it is open here')
  })

  it('names what was left out', () => {
    swept([pair('Hook', 'broken'), ...Array.from({ length: 9 }, (_, i) => pair(`F${i}`, 'meets'))])
    const left = mounted(ClearanceList, pinia).get('.more > span')
    expect(left.text()).toBe('1 left out.')
    expect(left.attributes('title')).toBe('A – B: they are bolted')
  })

  it('marks the finding whose evidence is shown', async () => {
    const broken = pair('Hook', 'broken')
    const findings = swept([broken, pair('Arm', 'tight')])
    const list = mounted(ClearanceList, pinia)
    findings.shown = broken
    await nextTick()
    expect(cards(list).map((card) => card.classes('at'))).toEqual([true, false])
  })

  it('says so where a cell has no rule', () => {
    swept([], { rules: [] } as unknown as Partial<Findings>)
    expect(mounted(ClearanceList, pinia).text()).toContain('The cell has no clearance rule')
  })
})
