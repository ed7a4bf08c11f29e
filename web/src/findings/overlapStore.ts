import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'

export type Overlap = Schemas['OverlappingPair']

/** What touches and overlaps among what is shown, where everything stood when one looked. */
export const useOverlaps = defineStore('overlaps', () => {
  const cell = useCell()
  const notices = useNotices()
  const what = useWhat()
  const when = useWhen()
  const jog = useJog()

  const found = shallowRef<Schemas['Overlaps'] | null>(null)
  /** When that was, s. */
  const foundAt = ref(0)
  const looking = ref(false)
  /** The pair whose lines are drawn. */
  const shown = shallowRef<Overlap | null>(null)
  const tolerance_mm = ref(0.1)

  let going: AbortController | null = null
  async function look() {
    const own = new AbortController()
    going = own
    looking.value = true
    const time_s = when.time
    const params = { path: { id: cell.cell!.id } }
    const body = {
      items: [...what.visible],
      tolerance_mm: tolerance_mm.value,
      time_s,
      joints_deg_or_mm: jog.tried,
    }
    try {
      const { signal } = own
      found.value = await answer(api.POST('/api/cells/{id}/overlaps', { params, body, signal }))
      foundAt.value = time_s
      shown.value = null
    } catch (e) {
      if (!own.signal.aborted) notices.say(e)
    } finally {
      if (going === own) looking.value = false
    }
  }
  /** What was being looked for is no longer wanted. */
  const stop = () => going?.abort()
  function show(pair: Overlap) {
    shown.value = shown.value === pair ? null : pair
    what.selected = new Set(shown.value ? [pair.a.item, pair.b.item] : [])
  }
  /** The lines are drawn only while everything stands where it stood. */
  const lines = computed(() =>
    shown.value && Math.abs(when.time - foundAt.value) < 1e-6 ? shown.value.lines_mm : [],
  )
  const forget = () => {
    found.value = null
    shown.value = null
  }
  watch([() => cell.cell?.id, () => cell.cell?.revision], forget)

  return { found, foundAt, looking, shown, tolerance_mm, lines, look, stop, show }
})
