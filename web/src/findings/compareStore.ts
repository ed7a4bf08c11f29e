import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useFindings } from './findingsStore'

/** What changed since an earlier sweep of the cell. */
export const useCompare = defineStore('compare', () => {
  const cell = useCell()
  const findings = useFindings()
  const notices = useNotices()

  const open = ref(false)
  const sweeps = shallowRef<Schemas['SweepKept'][]>([])
  /** The fingerprint of the earlier one that was picked. */
  const picked = ref<string | null>(null)
  const compared = shallowRef<Schemas['Comparison'] | null>(null)
  const path = () => ({ path: { id: cell.cell!.id } })

  /** Of the sweep that is shown, and all before. */
  const now = computed(() => sweeps.value.find((s) => s.fingerprint === findings.madeOf) ?? null)
  const earlier = computed(() => sweeps.value.filter((s) => s !== now.value))
  /** That of the earlier one: of the one before, until another is picked. */
  const chosen = computed({
    get: () => {
      const other = earlier.value.find((s) => s.fingerprint === picked.value)
      return (other ?? earlier.value[0])?.fingerprint ?? null
    },
    set: (fingerprint) => (picked.value = fingerprint),
  })
  /** The band of the earlier one. */
  const band = computed(() => (open.value ? (compared.value?.band ?? null) : null))

  let listed = 0
  async function load() {
    const mine = ++listed
    if (!open.value || !cell.cell || !findings.madeOf) return
    try {
      const all = await answer(api.GET('/api/cells/{id}/sweeps', { params: path() }))
      if (mine === listed) sweeps.value = all
    } catch (e) {
      if (mine === listed) notices.say(e)
    }
  }
  watch([open, () => findings.madeOf, () => cell.cell?.id], () => void load())
  let turn = 0
  async function compare() {
    const mine = ++turn
    compared.value = null
    // They are compared once both are in the list.
    if (!open.value || !now.value || !chosen.value) return
    const query = { fingerprint: now.value.fingerprint, with: chosen.value }
    const request = { params: { ...path(), query } }
    try {
      const found = await answer(api.GET('/api/cells/{id}/comparison', request))
      if (mine === turn) compared.value = found
    } catch (e) {
      if (mine === turn) notices.say(e)
    }
  }
  watch([open, () => now.value?.fingerprint, chosen], () => void compare())

  /** Gives a sweep a name, by which it is kept, or takes it away. */
  async function name(fingerprint: string, name: string) {
    const params = { path: { ...path().path, fingerprint } }
    const body = { name: name.trim() || null }
    const { error } = await api.PUT('/api/cells/{id}/sweeps/{fingerprint}', { params, body })
    if (error) notices.say(new Error((error as { detail?: string }).detail ?? 'It has no name.'))
    await load()
  }
  /** Goes to the closest approach that a change is about. */
  async function show({ between }: Schemas['FindingChange']) {
    if (!between) return
    const same = (x: Schemas['SideReport'], y: Schemas['SideReport']) =>
      x.item === y.item && (x.link ?? null) === (y.link ?? null)
    const pair = await findings.find((p) => same(p.a, between[0]!) && same(p.b, between[1]!))
    if (pair) await findings.showEvidence(pair)
  }

  return { open, now, earlier, chosen, compared, band, name, show }
})
