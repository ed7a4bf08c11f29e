import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useHeld } from '../what/heldStore'
import type { Arrange } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useTarget } from '../when/targetStore'

/** No line is drawn to what is farther away, mm. */
const FAR_MM = 200
/**
 * While the hand moves, what is certain after so long is told: with the way there and back that
 * is well within 150 ms.
 */
const SOON_MS = 100

/** What is dragged comes to so over the whole path, before it is let go. */
export const useTrying = defineStore('trying', () => {
  const cell = useCell()
  const held = useHeld()
  const moment = useMoment()
  const what = useWhat()
  const target = useTarget()

  const told = shallowRef<Schemas['Tried'] | null>(null)
  /** Why nothing can be told. */
  const refused = ref('')
  /** Whether what is told is of where it was a moment ago. */
  const behind = ref(false)

  /** Of what is asked while an answer is on its way only the last counts. */
  let waiting: Arrange | null = null
  let running: AbortController | null = null
  /** Where all is looked at for which there was no time: given up as soon as it moves on. */
  let patient: Arrange | null = null
  async function go() {
    if (patient && waiting) giveUp()
    const how = waiting ?? patient
    if (running || !how || !cell.cell) return
    const mine = new AbortController()
    const soon = how === waiting ? { within_ms: SOON_MS } : {}
    waiting = null
    running = mine
    const time_s = moment.time
    const body =
      held.on?.what === 'target'
        ? { target: target.named!, how, time_s, ...soon }
        : { items: [...what.selected], how, time_s, ...soon }
    const request = { params: { path: { id: cell.cell.id } }, body, signal: mine.signal }
    const said = await answer(api.POST('/api/cells/{id}/try', request)).catch((e: Error) => e)
    if (running !== mine) return
    running = null
    told.value = said instanceof Error ? null : said
    refused.value = said instanceof Error ? said.message : ''
    behind.value = !!waiting
    patient = told.value?.hurried ? how : null
    void go()
  }
  function giveUp() {
    running?.abort()
    running = patient = null
  }
  function leave() {
    giveUp()
    waiting = told.value = null
    refused.value = ''
    behind.value = false
  }
  watch(
    () => held.dragged,
    (dragged) => {
      if (!dragged || !held.on) return leave()
      if (!cell.cell?.document.rules?.length) return
      waiting = { motion: { by: dragged.motion } }
      behind.value = true
      void go()
    },
  )

  // Whoever takes hold of something will drag it: the server may need a while to be ready for that.
  watch(
    () => held.on?.what,
    (taken) => {
      if (!taken || taken === 'tcp' || !cell.cell?.document.rules?.length) return
      const params = { path: { id: cell.cell.id } }
      api.POST('/api/cells/{id}/try/ready', { params }).catch(() => {})
    },
  )

  /** What is nearest where everything stands now; what is far away is no news. */
  const near = computed(() => told.value?.now.find((pair) => pair.distance_mm < FAR_MM))

  return { told, refused, behind, near }
})
