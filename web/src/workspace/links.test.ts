import type { Pinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent } from 'vue'
import { useRoute } from 'vue-router'

import type { Pair } from '../api/client'
import { useNotices } from '../cell/noticesStore'
import { useFindings } from '../findings/findingsStore'
import { freshStores } from '../testing/freshStores'
import { mounted } from '../testing/mounted'
import { openCell } from '../testing/openCell'
import { begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useLinks } from './links'

let pinia: Pinia
const view = { id: 'v', name: 'From the gate', viewpoint: {}, style: 'shaded' }
beforeEach(() => {
  pinia = freshStores()
  history.replaceState(null, '')
  begin({
    'POST /api/cells/{id}/frame': ({ body }) => (body as { viewpoint: unknown }).viewpoint,
    'POST /api/evidence': ({ body }) => ({
      section: { point_mm: [0, 0, 0], normal: [0, 0, 1] },
      viewpoint: (body as { viewpoint: unknown }).viewpoint,
    }),
    'POST /api/cells/{id}/section': () => ({ faces: [], overlaps: [], area_mm2: 0 }),
    'GET /api/cells/{id}/findings/pairs': () => ({ pairs: [] }),
  })
  const cell = openCell([{ id: 'post', name: 'Post' }])
  Object.assign(cell.cell!.document, { views: [view] })
})

/** The links of a page, and the address as they leave it. */
function page() {
  let links!: ReturnType<typeof useLinks>
  let address!: ReturnType<typeof useRoute>
  const Page = defineComponent(() => {
    links = useLinks()
    address = useRoute()
    return () => null
  })
  mounted(Page, pinia)
  return { links, query: () => address.query }
}

describe('the address', () => {
  it('names what is selected, if it is one thing', async () => {
    const { query } = page()
    useWhat().select('post')
    await vi.waitFor(() => expect(query()).toEqual({ item: 'post' }))
    useWhat().select(null)
    await vi.waitFor(() => expect(query()).toEqual({}))
  })

  it('names the finding that is shown rather than what is selected', async () => {
    const { query } = page()
    useWhat().select('post')
    const [a, b] = [{ name: 'Hose bracket' }, { name: 'Housing A rib' }]
    useFindings().shown = { a, b } as Pair
    await vi.waitFor(() => expect(query()).toEqual({ finding: 'Hose bracket~Housing A rib' }))
  })

  it('names the view that was recalled', async () => {
    const { query } = page()
    useViews().recalled = 'v'
    await vi.waitFor(() => expect(query()).toEqual({ view: 'v' }))
  })
})

describe('following a link', () => {
  it('selects an item and fits it', async () => {
    const where = useWhere()
    where.fitSelection = vi.fn()
    expect(await page().links.follow({ item: 'post' })).toBe(true)
    expect([...useWhat().selected]).toEqual(['post'])
    expect(where.fitSelection).toHaveBeenCalledOnce()
  })

  it('recalls a view', async () => {
    const views = useViews()
    views.recall = vi.fn()
    expect(await page().links.follow({ view: 'v' })).toBe(true)
    expect(views.recall).toHaveBeenCalledOnce()
  })

  it('keeps the view that was left where the page was only loaded anew', async () => {
    history.replaceState({ ours: true }, '')
    const [where, views] = [useWhere(), useViews()]
    where.fitSelection = vi.fn()
    views.recall = vi.fn()
    await page().links.follow({ item: 'post' })
    await page().links.follow({ view: 'v' })
    expect(where.fitSelection).not.toHaveBeenCalled()
    expect(views.recall).not.toHaveBeenCalled()
    expect(views.recalled).toBe('v')
  })

  it('shows the evidence of a finding', async () => {
    const findings = useFindings()
    const pair = { a: { name: 'Hook' }, b: { name: 'Post' } } as Pair
    findings.find = vi.fn(async (like: (p: Pair) => boolean) => (like(pair) ? pair : undefined))
    findings.showEvidence = vi.fn()
    expect(await page().links.follow({ finding: 'Hook~Post' })).toBe(true)
    expect(findings.showEvidence).toHaveBeenCalledWith(pair)
  })

  it('says so where what it names is gone, and nothing where it names nothing', async () => {
    const { links } = page()
    expect(await links.follow({})).toBe(false)
    expect(useNotices().said).toBe('')
    expect(await links.follow({ item: 'long gone' })).toBe(false)
    expect(useNotices().said).toBe('What this link points to is not here any more.')
  })
})
