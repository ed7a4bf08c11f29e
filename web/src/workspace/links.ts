import { nextTick, watch } from 'vue'

import { useFindings } from '../findings/findingsStore'
import { useWhat } from '../what/whatStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'

/** The address bar is always a link to what one looks at: a finding, a saved view, an item. */
export function useLinks() {
  const cell = useCell()
  const notices = useNotices()
  const what = useWhat()
  const where = useWhere()
  const views = useViews()
  const findings = useFindings()
  const pairName = (p: { a: { item: string; name: string }; b: { item: string; name: string } }) =>
    `${p.a.name}~${p.b.name}`

  function linkNow(): string {
    const said = new URLSearchParams()
    if (findings.shown) said.set('finding', pairName(findings.shown))
    else if (what.selected.size === 1) said.set('item', [...what.selected][0]!)
    else if (views.recalled) said.set('view', views.recalled)
    const text = said.toString()
    return location.pathname + (text ? `#${text}` : '')
  }
  watch([() => findings.shown, () => what.selected, () => views.recalled], () =>
    history.replaceState({ ...history.state, ours: true }, '', linkNow()),
  )
  /**
   * On a reload the address is our own, and the view one left is kept: only what was chosen comes
   * back.
   */
  const reloaded = !!(history.state as { ours?: boolean } | null)?.ours

  /** Goes where the address says; whether it said anything that is here. */
  async function follow(hash: string): Promise<boolean> {
    const said = new URLSearchParams(hash.replace(/^#/, ''))
    const view = views.views.find((v) => v.id === said.get('view'))
    if (view && reloaded) views.recalled = view.id
    if (view && !reloaded) {
      views.recall(view, true)
      return true
    }
    const item = said.get('item')
    if (item && cell.items.has(item)) {
      what.select(item)
      if (reloaded) return true
      await nextTick()
      await where.fitSelection()
      return true
    }
    const named = said.get('finding')
    const pair = named ? await findings.find((p) => pairName(p) === named) : undefined
    if (pair && !reloaded) await findings.showEvidence(pair)
    else if (!pair && !view && [...said.keys()].length)
      notices.say('What this link points to is not here any more.')
    return !!pair
  }
  return { follow }
}
