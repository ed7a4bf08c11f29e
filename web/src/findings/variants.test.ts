import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'

import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useVariants } from './variantsStore'
import VariantsTable from './VariantsTable.vue'

const LIST = 'GET /api/cells/{id}/variants'
const SERIES = 'POST /api/cells/{id}/variants/series'
const found = (verdict: string, lower_mm: number, by: object = {}) => ({
  ...{ outcome: 'swept', verdict, reach: null, broken: 0, not_certified: 0, tight: 0, pairs: 9 },
  worst: { between: 'Hook – Post', verdict, margin_mm: lower_mm - 10, time_s: 3.5 },
  ...by,
})
const variant = (id: string, outcome: object | null, by: object = {}) => ({
  ...{ id, name: `Post ${id}`, edit: { edit: 'place_items', places: [] }, outcome },
  ...{ wanted: false, begun: false, fresh: !!outcome, place: 0, ...by },
})

let pinia: Pinia
let list: object[]
beforeEach(() => {
  pinia = freshStores()
  list = []
  begin({
    [LIST]: () => list,
    [SERIES]: () => list,
    'POST /api/cells/{id}/variants/sweep': () => list,
    'POST /api/cells/{id}/variants/stop': () => ({}),
    'DELETE /api/cells/{id}/variants': () => ({}),
    'DELETE /api/cells/{id}/variants/{variant}': () => ({}),
  })
  openCell([{ id: 'post', name: 'Post' }], 'c')
})

async function opened() {
  const shown = mounted(VariantsTable, pinia)
  useVariants().open = true
  await settled()
  return shown
}

describe('variants', () => {
  it('are places of what is selected, asked for in mm and degrees whatever is shown', async () => {
    const shown = await opened()
    const add = () => shown.get(byTest('add-series'))
    expect(add().attributes('disabled')).toBeDefined()
    expect(shown.text()).toContain('Select what might stand elsewhere')
    useWhat().select('post')
    const { units } = useSettings()
    units.length = 'm'
    await settled()
    expect(shown.text()).toContain('Other places for Post')
    await shown.get(byTest('series-from-0')).setValue('-0.02')
    await shown.get(byTest('series-to-0')).setValue('0.06')
    await shown.get(byTest('series-count-0')).setValue('3')
    await shown.get(byTest('series-axis-1')).setValue('turn')
    await shown.get(byTest('series-from-1')).setValue('-10')
    await shown.get(byTest('series-to-1')).setValue('nonsense')
    await shown.get(byTest('series-count-1')).setValue('0')
    expect(add().text()).toBe('Sweep 15 places')
    await add().trigger('click')
    await settled()
    units.length = 'mm'
    expect(asked.find((a) => a.what === SERIES)!.body).toEqual({
      items: ['post'],
      time_s: 0,
      along: [
        { axis: 'x', from: -20, to: 60, count: 3 },
        { axis: 'turn', from: -10, to: 100, count: 5 },
      ],
    })
  })

  it('are told best first, as the server ranks them, and never more than is certain', async () => {
    const lost = { outcome: 'lost', why: 'it never ended' }
    list = [
      variant('unknown', null, { place: 4 }),
      variant('broken', found('broken', 4.006, { broken: 2 }), { place: 3 }),
      variant('meets', found('meets', 22.009), { place: 0 }),
      variant('tight', found('tight', 11, { tight: 1, reach: 'broken' }), { place: 1 }),
      variant('less broken', found('broken', 9, { broken: 1 }), { place: 2 }),
      variant('never', { outcome: 'impossible', why: 'it can not be reached' }, { place: 5 }),
      variant('lost', lost, { place: 6, fresh: false }),
    ]
    const shown = await opened()
    const names = () => shown.findAll('.name').map((n) => n.text().slice(5))
    const best = ['meets', 'tight', 'less broken', 'broken', 'unknown', 'never', 'lost']
    expect(names()).toEqual(best)
    const rows = shown.findAll(byTest('variant')).map((r) => r.text())
    expect(rows[0]).toContain('+12.00 mm')
    expect(rows[0]).toContain('all meet · Hook – Post at 00:03.500')
    expect(rows[1]).toContain('1 tight, reach broken')
    expect(rows[3]).toMatch(/-6.00 mm/)
    expect(rows[4]).toContain('not swept')
    expect(rows[5]).toContain('it can not be reached')
    expect(rows[6]).toMatch(/it never ended.*not swept/)
    await shown.get(byTest('best-first')).setValue(false)
    expect(names()[0]).toBe('unknown')
  })

  it('are shown in pages where there are hundreds', async () => {
    list = Array.from({ length: 120 }, (_, i) => variant(`${i}`, null, { place: i }))
    const shown = await opened()
    expect(shown.findAll(byTest('variant'))).toHaveLength(50)
    expect(shown.get(byTest('more-variants')).text()).toBe('70 more')
    await shown.get(byTest('more-variants')).trigger('click')
    await shown.get(byTest('more-variants')).trigger('click')
    expect(shown.findAll(byTest('variant'))).toHaveLength(120)
    expect(shown.find(byTest('more-variants')).exists()).toBe(false)
  })

  it('tell how far they are, are stopped, and gone on with', async () => {
    const waits = { wanted: true, fresh: false }
    list = [variant('a', null, { ...waits, begun: true }), variant('b', found('meets', 20))]
    const shown = await opened()
    expect(shown.get(byTest('variants-done')).text()).toBe('1 of 2')
    expect(shown.text()).toContain('is swept')
    list = [variant('a', null), variant('b', found('meets', 20), { fresh: false })]
    await shown.get(byTest('stop-variants')).trigger('click')
    await settled()
    expect(shown.text()).toContain('of an older model')
    const more = shown.get(byTest('sweep-variants'))
    expect(more.text()).toBe('Sweep 2 more')
    await more.trigger('click')
    await settled()
    expect(times('POST /api/cells/{id}/variants/sweep')).toBe(1)
  })

  it('are made, and deleted, one or all', async () => {
    list = [variant('a', found('meets', 20))]
    const shown = await opened()
    const edits = vi.spyOn(useCell(), 'edit').mockResolvedValue(true as never)
    await shown.get(byTest('apply-variant')).trigger('click')
    expect(edits).toHaveBeenCalledWith({ edit: 'place_items', places: [] })
    await shown.get(byTest('delete-variant')).trigger('click')
    await settled()
    expect(times('DELETE /api/cells/{id}/variants/{variant}')).toBe(1)
    list = []
    await shown.get(byTest('clear-variants')).trigger('click')
    await settled()
    expect(shown.findAll(byTest('variant'))).toHaveLength(0)
  })

  it('say why they are refused, and take the later of two answers', async () => {
    const shown = await opened()
    useWhat().select('post')
    await settled()
    begin({
      [SERIES]: () => new Refusal(422, 'a series has at most 1000 places'),
      [LIST]: () => [],
    })
    await shown.get(byTest('add-series')).trigger('click')
    await settled()
    expect(useNotices().said).toContain('at most 1000 places')
    const late: (() => void)[] = []
    let turn = 0
    begin({
      [LIST]: () =>
        turn++
          ? [variant('new', null)]
          : new Promise((resolve) => late.push(() => resolve([variant('old', null)]))),
    })
    const variants = useVariants()
    const first = variants.load()
    await settled()
    await variants.load()
    late.forEach((answers) => answers())
    await first
    expect(variants.all.map((v) => v.id)).toEqual(['new'])
  })
})
