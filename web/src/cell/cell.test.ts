import { beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell, Edit } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { asked, begin, Refusal, settled, times } from '../testing/standIn'
import { useCell } from './cellStore'
import { sentence } from './noticesStore'
import { useNotices } from './noticesStore'

vi.stubGlobal('localStorage', { setItem: () => {}, getItem: () => null })

const EDITS = 'POST /api/cells/{id}/edits'
const rename = (name: string): Edit => ({ edit: 'rename_item', item: 'post', name })

/** The cell at a revision, as the server answers. */
function cellAt(revision: number, more: object = {}) {
  const items = [
    { id: 'table', name: 'Table', role: 'structure' },
    { id: 'fixture', name: 'Fixture', role: 'fixture', parent: 'table' },
    { id: 'clamp', name: 'Clamp', role: 'fixture', parent: 'fixture' },
    { id: 'post', name: 'Post', role: 'structure' },
  ]
  const [bodies, item_nodes] = [[{ item: 'post', node: 0 }], [0, 1, 2, 3]]
  const fixed = { bodies, item_nodes, poses: [], frames: [], moving_nodes: [], path: {} }
  return { id: 'c', revision, document: { items }, ...fixed, ...more } as unknown as Cell
}

describe('the open cell', () => {
  beforeEach(() => freshStores())

  it('knows its tree', () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    expect(cell.family('table')).toEqual(['table', 'fixture', 'clamp'])
    expect(cell.children.get(null)?.map((i) => i.id)).toEqual(['table', 'post'])
    expect(cell.items.get('clamp')?.name).toBe('Clamp')
  })

  it('says why it can not be opened', async () => {
    begin({ 'GET /api/cells/{id}': () => new Refusal(404, 'there is no such cell') })
    const cell = useCell()
    await cell.open('x')
    expect([cell.error, cell.loading]).toEqual(['there is no such cell', false])
  })

  it('changes by one edit after the other, each looking at what the one before left', async () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    let let_go = () => {}
    const gate = new Promise<void>((done) => (let_go = done))
    let revision = 1
    begin({
      [EDITS]: async () => {
        await gate
        return cellAt(++revision)
      },
    })
    const both = [cell.edit(rename('A')), cell.edit(rename('B'))]
    await settled()
    expect([times(EDITS), cell.saving]).toEqual([1, true])
    let_go()
    expect(await Promise.all(both)).toEqual([true, true])
    const bases = asked.map((a) => (a.body as { base_revision: number }).base_revision)
    expect([bases, cell.cell?.revision, cell.saving]).toEqual([[1, 2], 3, false])
  })

  it('keeps what has not changed, so that it is not drawn anew', async () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    const { bodies, item_nodes } = cell.cell
    begin({ [EDITS]: () => cellAt(2, { item_nodes: [0, 1, 2, 4] }) })
    await cell.edit(rename('A'))
    expect(cell.cell!.bodies).toBe(bodies)
    expect(cell.cell!.item_nodes).not.toBe(item_nodes)
  })

  it('tells of a refusal and shows what is true', async () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    begin({
      [EDITS]: () => new Refusal(422, 'a name needs 1 to 200 characters'),
      'GET /api/cells/{id}': () => cellAt(1, { names: 'n' }),
    })
    expect(await cell.edit(rename(''))).toBe(false)
    expect(useNotices().said).toBe('a name needs 1 to 200 characters')
    expect((cell.cell as unknown as { names: string }).names).toBe('n')
  })

  it('lets the later of two choose, and does it again only when asked', async () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    let theirs = true
    begin({
      [EDITS]: () => (theirs ? new Refusal(409, 'item "post" was changed meanwhile') : cellAt(3)),
      'GET /api/cells/{id}': () => cellAt(2),
    })
    expect(await cell.edit(rename('Mine'))).toBe(false)
    expect([cell.clash?.said, cell.cell?.revision]).toEqual([
      'item "post" was changed meanwhile',
      2,
    ])
    theirs = false
    await cell.clash!.again()
    expect(cell.cell?.revision).toBe(3)
    expect((asked.at(-1)!.body as { base_revision: number }).base_revision).toBe(2)
  })

  it('takes back the step it shows, and nothing when there is none', async () => {
    const cell = useCell()
    cell.cell = cellAt(4, { undo: { step: 4, label: 'move Post' } })
    begin({
      'POST /api/cells/{id}/undo': () => cellAt(5, { redo: { step: 4, label: 'move Post' } }),
      'POST /api/cells/{id}/redo': () => cellAt(6),
    })
    expect(await cell.undo()).toBe(true)
    expect(await cell.undo()).toBe(false)
    expect(await cell.redo()).toBe(true)
    expect(await cell.redo()).toBe(false)
    expect(asked.map((a) => a.body)).toEqual([{ step: 4 }, { step: 4 }])
  })

  it('goes on with the next edit after one that failed', async () => {
    const cell = useCell()
    cell.cell = cellAt(1)
    let fail = true
    begin({
      [EDITS]: () => (fail ? new Refusal(503, 'the database does not answer') : cellAt(2)),
      'GET /api/cells/{id}': () => new Refusal(503, 'the database does not answer'),
    })
    expect(await cell.edit(rename('A'))).toBe(false)
    expect(cell.cell?.revision).toBe(1)
    fail = false
    expect(await cell.edit(rename('A'))).toBe(true)
  })
})

describe('what the server says', () => {
  it.each([
    ['there is no such cell', 'There is no such cell.'],
    ['The server does not answer. Is it running?', 'The server does not answer. Is it running?'],
    ['Done.', 'Done.'],
    ['', '.'],
  ])('%s, is told as a sentence', (said, told) => {
    expect(sentence(said)).toBe(told)
  })
})
