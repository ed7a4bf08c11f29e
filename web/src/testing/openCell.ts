import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'

interface SomeItem {
  id: string
  name?: string
  role?: string
  parent?: string
  locked?: boolean
  notes?: string
}

/** Opens a cell with these items, each with a body, as the server would send it. */
export function openCell(some: SomeItem[], id = 'c', more: Partial<Cell> = {}) {
  const items = some.map((item) => ({ name: item.id, role: 'structure', ...item }))
  const bodies = items.map((item) => ({ item: item.id, mesh: item.id, node: 0 }))
  const document = { name: 'A cell', items, views: [], tours: [], visibility_sets: [] }
  const path = { duration_s: 10, runs: [] }
  const opened = { id, revision: 1, document, bodies, path, fingerprint: 'f', ...more }
  const cell = useCell()
  cell.cell = opened as unknown as Cell
  return cell
}
