import { beforeEach, describe, expect, it } from 'vitest'
import { nextTick } from 'vue'

import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { idOfRow, useRows } from './useRows'

beforeEach(() => freshStores())

/** A table with a fixture that carries two clamps, and a post. */
const small = () =>
  openCell([
    { id: 'table', name: 'Index table', role: 'structure' },
    { id: 'fixture', name: 'Fixture A', role: 'fixture', parent: 'table' },
    { id: 'clamp-1', name: 'Clamp A1', role: 'fixture', parent: 'fixture' },
    { id: 'clamp-2', name: 'Clamp A2', role: 'fixture', parent: 'fixture' },
    { id: 'post', name: 'Post', role: 'structure' },
  ])
type Rows = ReturnType<typeof useRows>
const listed = ({ rows }: Rows) =>
  rows.value.map(({ item, depth }) => `${'  '.repeat(depth)}${item.id}`)

describe('rows of the roster', () => {
  it('stand as the items hang on each other', () => {
    small()
    expect(listed(useRows())).toEqual(['table', '  fixture', '    clamp-1', '    clamp-2', 'post'])
  })

  it('fold up and unfold', () => {
    small()
    const roster = useRows()
    roster.toggleBranch('fixture')
    expect(listed(roster)).toEqual(['table', '  fixture', 'post'])
    expect(roster.rows.value[1]!.branch).toBe(true)
    roster.toggleBranch('fixture')
    expect(listed(roster)).toHaveLength(5)
  })

  it('are those that all words fit, by name or role, without their branches', () => {
    small()
    const roster = useRows()
    roster.filter.value = 'a2 clamp'
    expect(listed(roster)).toEqual(['clamp-2'])
    roster.filter.value = 'STRUCT'
    expect(listed(roster)).toEqual(['table', 'post'])
    roster.filter.value = 'nothing'
    expect(listed(roster)).toEqual([])
  })

  it('are of the roles that are ticked, even in a folded branch', () => {
    small()
    const roster = useRows()
    roster.toggleBranch('table')
    roster.tick('fixture')
    expect(listed(roster)).toEqual(['fixture', 'clamp-1', 'clamp-2'])
    roster.tick('fixture')
    expect(listed(roster)).toEqual(['table', 'post'])
  })

  it('offer only roles that are there, in their order', () => {
    small()
    expect(useRows().present.value).toEqual(['fixture', 'structure'])
  })

  it('begin with long lists of the same folded up, and others open', async () => {
    small()
    const roster = useRows()
    const panel = (n: number) => ({
      id: `panel-${n}`,
      name: `Panel ${n}`,
      role: 'structure',
      parent: 'fence',
    })
    const panels = Array.from({ length: 12 }, (_, n) => panel(n))
    openCell([{ id: 'fence', name: 'Fence', role: 'structure' }, ...panels], 'another')
    await nextTick()
    expect(listed(roster)).toEqual(['fence'])
    roster.toggleBranch('fence')
    expect(listed(roster)).toHaveLength(13)
  })

  it('have elements that can be named', () => {
    expect(idOfRow('post')).toBe('row-post')
  })
})
