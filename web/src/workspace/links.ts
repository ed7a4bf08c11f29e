import { nextTick, watch } from 'vue'
import { type LocationQuery, useRouter } from 'vue-router'

import { useFindings } from '../findings/findingsStore'
import { pairKey } from '../findings/verdicts'
import { useWhat } from '../what/whatStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'

/** The address bar is always a link to what one looks at: a finding, a saved view, an item. */
export function useLinks() {
  const router = useRouter()
  const cell = useCell()
  const notices = useNotices()
  const what = useWhat()
  const where = useWhere()
  const views = useViews()
  const findings = useFindings()
  function saidNow(): LocationQuery {
    if (findings.shown) return { finding: pairKey(findings.shown) }
    if (what.selected.size === 1) return { item: [...what.selected][0]! }
    return views.recalled ? { view: views.recalled } : {}
  }
  watch([() => findings.shown, () => what.selected, () => views.recalled], () =>
    router.replace({ query: saidNow(), state: { ours: true } }),
  )
  /**
   * On a reload the address is our own, and the view one left is kept: only what was chosen comes
   * back.
   */
  const reloaded = !!(history.state as { ours?: boolean } | null)?.ours

  /** Goes where the address says; whether it said anything that is here. */
  async function follow(said: LocationQuery): Promise<boolean> {
    const view = views.views.find((v) => v.id === said.view)
    if (view && reloaded) views.recalled = view.id
    if (view && !reloaded) {
      views.recall(view, true)
      return true
    }
    const { item, finding: named } = said
    if (typeof item === 'string' && cell.items.has(item)) {
      what.select(item)
      if (reloaded) return true
      await nextTick()
      await where.fitSelection()
      return true
    }
    const pair = named ? await findings.find((p) => pairKey(p) === named) : undefined
    if (pair && !reloaded) await findings.showEvidence(pair)
    else if (!pair && !view && Object.keys(said).length)
      notices.say('What this link points to is not here any more.')
    return !!pair
  }
  return { follow }
}
