import { defineStore } from 'pinia'
import { ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useFindings } from './findingsStore'

/** What pairs come to in a part of the path alone. */
export const usePart = defineStore('part', () => {
  const cell = useCell()
  const findings = useFindings()
  const notices = useNotices()

  const found = shallowRef<Schemas['PartFound'] | null>(null)
  const running = ref(false)
  /** Of two parts asked for the later counts; the other is no longer worked out. */
  let asking: AbortController | null = null
  async function sweep([from_s, to_s]: readonly [number, number]) {
    leave()
    const mine = (asking = new AbortController())
    running.value = true
    findings.tab = 'clearance'
    const request = {
      params: { path: { id: cell.cell!.id } },
      body: { from_s, to_s },
      signal: mine.signal,
    }
    const said = await answer(api.POST('/api/cells/{id}/sweep-part', request)).catch(
      (e: Error) => e,
    )
    if (mine !== asking) return
    running.value = false
    if (said instanceof Error) notices.say(said)
    else found.value = said
  }
  function leave() {
    asking?.abort()
    asking = found.value = null
    running.value = false
  }
  // It is no finding of the cell: what changes makes it old.
  watch([() => cell.cell?.id, () => cell.cell?.fingerprint], leave)

  return { found, running, sweep, leave }
})
