import { beforeEach, describe, expect, it } from 'vitest'

import type { Cell, Item } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin, Refusal, settled } from '../testing/standIn'
import { type Place, useItems } from './itemsStore'
import { useWhat } from './whatStore'

/** The cell as the server answers every change: one revision on, with these items more. */
function answers(more: Partial<Item>[] = []) {
  const now = () => {
    const { cell } = useCell()
    const items = [...cell!.document.items, ...more]
    return {
      ...cell!,
      revision: cell!.revision + 1,
      document: { ...cell!.document, items },
    } as Cell
  }
  begin({
    'POST /api/cells/{id}/facts': ({ body }) =>
      (body as { items: string[] }).items.map((item) => ({
        item,
        world: [1, 2, 3, 0, 0, 0, 1],
        axes: [0, 0, 0, 0, 0, 0.6, 0.8],
      })),
    'POST /api/cells/{id}/masses': () => [],
    'GET /api/cells/{id}': () => useCell().cell,
    'POST /api/cells/{id}/edits': now,
    'POST /api/cells/{id}/arrange': now,
    'POST /api/cells/{id}/frames': now,
    'POST /api/cells/{id}/consequences': () => ({ items: ['Clamp'], programs: [], rules: [] }),
  })
}
const sent = (path: string) =>
  asked.filter((a) => a.what === `POST /api/cells/{id}/${path}`).map((a) => a.body as never)
const place = (n: number): Place => ({
  at: [n, 0, 0],
  normal: [0, 0, 1],
  item: 'table',
  body: n,
  triangle: 7,
})

beforeEach(() => {
  freshStores()
  answers()
  openCell(
    [
      { id: 'table', name: 'Table' },
      { id: 'clamp', name: 'Clamp', parent: 'table' },
      { id: 'post', name: 'Post', locked: true },
    ],
    'c',
    { item_nodes: [[0], [1], [2]] } as never,
  )
})

describe('changing what is in the cell', () => {
  it('arranges the selection as it is at the play head, against what one sees', async () => {
    const items = useItems()
    useWhat().select('clamp')
    await items.arrange('drop')
    expect(sent('arrange')).toEqual([
      { base_revision: 1, items: ['clamp'], time_s: 0, how: 'drop' },
    ])
    expect(useCell().cell!.revision).toBe(2)
  })

  it('selects what it has made', async () => {
    answers([{ id: 'clamp-2', name: 'Clamp, copy', parent: 'table' } as Item])
    useWhat().select('clamp')
    await useItems().duplicate()
    expect([...useWhat().selected]).toEqual(['clamp-2'])
  })

  it('keeps the selection where nothing was made', async () => {
    begin({
      'POST /api/cells/{id}/edits': () => new Refusal(422, 'It can’t be copied.'),
      'GET /api/cells/{id}': () => useCell().cell,
      'POST /api/cells/{id}/facts': () => [],
      'POST /api/cells/{id}/masses': () => [],
    })
    useWhat().select('clamp')
    await useItems().duplicate()
    expect([...useWhat().selected]).toEqual(['clamp'])
    expect(useNotices().said).toBe('It can’t be copied.')
  })

  it('asks what goes along before anything is deleted', async () => {
    const items = useItems()
    await items.askDelete(['clamp'])
    expect(items.doomed?.gone.items).toEqual(['Clamp'])
    expect(sent('edits')).toEqual([])
    await items.remove()
    expect(items.doomed).toBeNull()
    expect(sent('edits')).toEqual([
      { base_revision: 1, edit: { edit: 'delete_items', items: ['clamp'] } },
    ])
  })

  it('leaves in place what is locked, and says so', () => {
    const items = useItems()
    useWhat().select('post')
    items.toggleHandles('move')
    expect(items.handles).toBeNull()
    expect(useNotices().said).toContain('Post is locked and stays where it is.')
  })

  it('hangs things on others as one chose to keep them', async () => {
    const items = useItems()
    items.hanging = { ids: ['clamp'], parent: 'post', link: null }
    await items.hang('world')
    expect(items.hanging).toBeNull()
    expect(sent('arrange')).toMatchObject([
      { items: ['clamp'], how: { hang: { parent: 'post', on_link: null, keep: 'world' } } },
    ])
  })
})

describe('places picked one after the other', () => {
  it('bring a point onto a point once there are two', async () => {
    const items = useItems()
    useWhat().select('clamp')
    items.picking = { for: 'point-to-point', places: [] }
    expect(await items.picked(place(1))).toBe(false)
    expect(items.picking?.places).toHaveLength(1)
    expect(await items.picked(place(2))).toBe(true)
    expect(items.picking).toBeNull()
    expect(sent('arrange')).toMatchObject([
      { how: { point_to_point: { from_mm: [1, 0, 0], to_mm: [2, 0, 0] } } },
    ])
  })

  it('name faces by body and triangle where their axes are meant', async () => {
    const items = useItems()
    useWhat().select('clamp')
    items.picking = { for: 'axis-to-axis', places: [place(0)] }
    await items.picked(place(1))
    expect(sent('arrange')).toMatchObject([
      { how: { axis_to_axis: { from: { body: 0, triangle: 7 }, to: { body: 1, triangle: 7 } } } },
    ])
  })

  it('make a frame of three points, on what the first lies on', async () => {
    const items = useItems()
    items.picking = { for: 'frame-points', places: [place(0), place(1)] }
    await items.picked(place(2))
    expect(sent('frames')).toMatchObject([
      {
        kind: 'frame',
        parent: 'table',
        at: {
          three_points: [
            [0, 0, 0],
            [1, 0, 0],
            [2, 0, 0],
          ],
        },
      },
    ])
  })

  it('are what the selection is turned about, until another is selected', async () => {
    const items = useItems()
    useWhat().select('clamp')
    await settled()
    items.picking = { for: 'about', places: [] }
    await items.picked(place(500))
    expect([items.about, items.handles]).toEqual([[500, 0, 0], 'turn'])
    expect(items.grip?.at.slice(0, 3)).toEqual([0.5, 0, 0])
    useWhat().select('table')
    await settled()
    expect(items.about).toBeNull()
  })
})

describe('where handles stand', () => {
  it('is the origin of the first, along the axes of the frame, with its family', async () => {
    const items = useItems()
    useWhat().select('table')
    await settled()
    expect(items.grip?.at).toEqual([1, 2, 3, 0, 0, 0.6, 0.8])
    expect([...items.grip!.nodes].sort()).toEqual([0, 1])
  })

  it('is nowhere on what is locked or not there', async () => {
    const items = useItems()
    expect(items.grip).toBeNull()
    useWhat().select('post')
    await settled()
    expect(items.grip).toBeNull()
  })
})
