import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import OverlapList from './OverlapList.vue'
import { useOverlaps } from './overlapStore'

const side = (item: string) => ({ item, link: null, name: item })
const pair = (b: string, state: string, more = {}) => ({
  a: side('plate'),
  b: side(b),
  state,
  depth_mm: [0, 0],
  at_mm: [0, 0, 0],
  lines_mm: [],
  ...more,
})
const line = [
  [0, 0, 0],
  [1, 0, 0],
]

describe('what overlaps', () => {
  let pinia: Pinia
  beforeEach(() => {
    pinia = freshStores()
    begin({
      'POST /api/cells/{id}/overlaps': () => ({
        pairs: [
          pair('pin', 'overlaps', { depth_mm: [19.96, 25], volume_mm3: 2e5, lines_mm: [line] }),
          pair('block', 'touches'),
          pair('hose', 'not_certain', { not_certain: 'hose is open' }),
        ],
        left_out: [{ a: 'plate', b: 'bolt', reason: 'screwed in' }],
        complete: true,
      }),
    })
    openCell([{ id: 'plate' }, { id: 'pin' }, { id: 'block' }, { id: 'hose' }, { id: 'bolt' }])
  })

  it('is looked for among what is shown, at the time that is shown', async () => {
    useWhat().hide(['bolt'])
    useWhen().goTo(4)
    const shown = mounted(OverlapList, pinia)
    expect(shown.text()).toContain('Looks among all that is shown')
    await shown.get(byTest('look-for-overlaps')).trigger('click')
    await settled()
    const body = asked[0]!.body as { items: string[]; time_s: number }
    expect(body.items).not.toContain('bolt')
    expect(body.time_s).toBe(4)
    const cards = shown.findAll(byTest('overlap')).map((c) => c.text())
    // Never more than is certain, and not even a touch has a depth.
    expect(cards[0]).toContain('at least 19.96 mm deep')
    expect(cards[0]).toContain('200.0 cm³')
    expect(cards[1]).toContain('touch')
    expect(cards[1]).not.toContain('deep')
    expect(cards[2]).toContain('hose is open')
    expect(shown.get(byTest('overlaps-left-out')).text()).toContain('plate – bolt: screwed in')
  })

  it('draws the lines of a pair, but not where things stand elsewhere', async () => {
    const overlaps = useOverlaps()
    await overlaps.look()
    overlaps.show(overlaps.found!.pairs[0]!)
    expect(overlaps.lines).toEqual([line])
    expect([...useWhat().selected]).toEqual(['plate', 'pin'])
    useWhen().goTo(2)
    expect(overlaps.lines).toEqual([])
    overlaps.show(overlaps.shown!)
    expect(useWhat().selected.size).toBe(0)
  })
})
