import { useDebounceFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useStrip } from '../when/stripStore'
import { useWhen } from '../when/whenStore'
import { useFindings } from './findingsStore'

type Band = Schemas['BandReport']

/** The clearance over the part of the path shown, and that of the pair that is looked at. */
export const useProfile = defineStore('profile', () => {
  const cell = useCell()
  const findings = useFindings()
  const strip = useStrip()
  const when = useWhen()

  /** Of all pairs, as closely as a part that is shown asks. */
  const close = shallowRef<Band | null>(null)
  const ofPair = shallowRef<Band | null>(null)
  /** What is drawn: the whole band until the closer one is here. */
  const band = computed(() => close.value ?? findings.findings?.band ?? null)

  /** How long the part must stay as it is before more of it is asked for, ms. */
  const REST_MS = 150
  let running: AbortController | null = null
  async function ask(between: Schemas['ProfileWanted']['between'], [from_s, to_s]: number[]) {
    const request = {
      params: { path: { id: cell.cell!.id } },
      body: { from_s: from_s!, to_s: to_s!, between },
      signal: running!.signal,
    }
    // What is refused has no profile: its card says what it comes to.
    return answer(api.POST('/api/cells/{id}/profile', request)).catch(() => null)
  }
  async function load() {
    // What is no longer wanted is not worked out.
    running?.abort()
    const mine = (running = new AbortController())
    const [part, pair] = [strip.part, findings.shown]
    const isThere = findings.fresh && !!cell.cell && when.duration > 0
    if (!isThere || !part) close.value = null
    if (!isThere || !pair) ofPair.value = null
    if (!isThere) return
    const named = ({ item, link }: Schemas['SideReport']) => ({ item, link })
    const [all, one] = await Promise.all([
      part ? ask(null, part) : null,
      pair ? ask([named(pair.a), named(pair.b)], strip.shown) : null,
    ])
    if (mine === running) [close.value, ofPair.value] = [all, one]
  }
  const loadSoon = useDebounceFn(load, REST_MS)
  watch([() => strip.part, () => findings.shown, () => findings.fresh], () => {
    if (!strip.part) close.value = null
    if (!findings.shown) ofPair.value = null
    void loadSoon()
  })

  return { band, ofPair }
})
