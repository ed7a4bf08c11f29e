import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { useCell } from '../cell/cellStore'
import { freshStores } from '../testing/freshStores'
import { byTest, mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { asked, begin, settled } from '../testing/standIn'
import SideField from './SideField.vue'
import WhoAgainstWhom from './WhoAgainstWhom.vue'
import { type Rule, useRules } from './rulesStore'
import { thresholds } from './thresholds'

const rule: Rule = {
  id: 'rule-1',
  name: 'Arm',
  between: ['arm'],
  required_mm: 10,
  tight_below_mm: 15,
}
const touching = { a: 'arm/base', b: 'post', a_name: 'Arm base', b_name: 'Post', reason: 'joined' }
const place = { measured: 2, may_touch: 0, required_mm: [10, 10], rules: ['rule-1'] }
const against = {
  things: ['arm', 'post', 'pole'],
  places: [
    { ...place, a: 0, b: 0, measured: 0, may_touch: 1, required_mm: null, rules: [] },
    { ...place, a: 0, b: 1 },
    { ...place, a: 0, b: 2, may_touch: 1, required_mm: [10, 50] },
  ],
}
let pinia: Pinia
beforeEach(() => {
  pinia = freshStores()
  openCell([
    { id: 'arm', name: 'Arm', role: 'robot' },
    { id: 'post', name: 'Post' },
  ])
  const { cell } = useCell()
  const sets = [{ id: 's', name: 'Posts', items: ['post'] }]
  Object.assign(cell!.document, { rules: [rule], visibility_sets: sets })
  begin({
    'POST /api/cells/{id}/edits': () => ({ ...cell, revision: cell!.revision + 1 }),
    'GET /api/cells/{id}/touching': () => [touching, { ...touching, b: 'pole' }],
    'GET /api/cells/{id}/against': () => against,
    'POST /api/cells/{id}/ask/rule': () => [
      { a: 'Arm', b: 'Post', rules: ['rule-1'], why: 'only' },
    ],
  })
})
const edits = () => asked.filter((a) => a.what.endsWith('/edits')).map((a) => a.body)

describe('rules', () => {
  it('name roles, sets, items and links', () => {
    const rules = useRules()
    expect(rules.nameOf('role:robot')).toBe('all robots')
    expect(rules.nameOf('set:s')).toBe('set Posts')
    expect(rules.nameOf('arm')).toBe('Arm')
    expect(rules.nameOf('arm/upper_link')).toBe('Arm upper link')
  })

  it('are added under an id that is free, and take values from the library', async () => {
    const rules = useRules()
    await rules.add()
    await rules.take(
      rule,
      thresholds.find((t) => t.name === 'Head')!,
    )
    expect(edits()).toMatchObject([
      { edit: { edit: 'save_rule', rule: { id: 'rule-2' } } },
      { edit: { rule: { id: 'rule-1', required_mm: 300, tight_below_mm: 360 } } },
    ])
  })

  it('let pairs touch only when a person accepts them, as one step', async () => {
    const rules = useRules()
    rules.open = true
    await nextTick()
    await settled()
    expect(rules.touching.length).toBe(2)
    expect(edits()).toEqual([])
    await rules.accept(rules.touching)
    expect(edits()).toMatchObject([
      {
        edit: {
          edit: 'together',
          edits: [
            { edit: 'let_touch', pair: { a: 'arm/base', b: 'post', reason: 'joined' } },
            { edit: 'let_touch', pair: { b: 'pole' } },
          ],
        },
      },
    ])
  })

  it('say which decides, and why', async () => {
    const rules = useRules()
    await rules.askBetween('arm', 'post')
    expect(rules.ruled[0]!.why).toBe('only')
  })

  it('name their sources', () => {
    for (const { source, required_mm, tight_below_mm } of thresholds) {
      expect(source).toMatch(/ISO 13854|common practice/)
      expect(tight_below_mm).toBeGreaterThan(required_mm)
    }
  })
})

describe('a side of a rule', () => {
  const side = (names: string[], open = false) =>
    mounted(SideField, pinia, { side: names, label: 'the first side', open })

  it('is everything where nothing is named', () => {
    expect(side([], true).text()).toContain('everything')
  })

  it('takes more names and lets go of them, but not of the last', async () => {
    const shown = side(['arm', 'role:tool'])
    await shown.get('select').setValue('post')
    await shown.get('[aria-label="Leave out Arm"]').trigger('click')
    expect(shown.emitted('change')).toEqual([[['arm', 'role:tool', 'post']], [['role:tool']]])
    expect(side(['arm']).find('[aria-label="Leave out Arm"]').exists()).toBe(false)
  })
})

describe('who against whom', () => {
  const table = async () => {
    const shown = mounted(WhoAgainstWhom, pinia)
    useRules().open = true
    await settled()
    return shown
  }
  const place = (a: string, b: string) => byTest(`against-${a}-${b}`)

  it('says what is required where two names meet, and what is not measured', async () => {
    const shown = await table()
    expect(shown.get(place('post', 'arm')).text()).toBe('10')
    expect(shown.get(place('pole', 'arm')).text()).toBe('10+')
    expect(shown.get(place('arm', 'arm')).text()).toBe('touch')
    expect(shown.get(place('pole', 'post')).text()).toBe('·')
    const told = (a: string, b: string) => shown.get(place(a, b)).attributes('title')
    expect(told('post', 'arm')).toBe('Post – Arm: 2 pairs of bodies, by Arm')
    expect(told('pole', 'arm')).toContain('; 1 may touch')
    expect(told('pole', 'post')).toContain('not measured')
    expect(told('arm', 'arm')).toBe('Within Arm: 1 may touch')
  })

  it('asks which rule decides between two that are clicked', async () => {
    const shown = await table()
    await shown.get(place('post', 'arm')).trigger('click')
    expect(shown.emitted('asked')).toEqual([['post', 'arm']])
  })
})
