import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMeasure } from './measureStore'

export type Series = Schemas['Series']
export type Extreme = Schemas['SeriesExtreme']
/** What is followed: what is measured, what is nearest to it, or the reach to a TCP. */
type Followed = { measured: 'itself' | 'to the nearest' } | { tcp: string }

/** Numbers over the time of the path, drawn on the strip in place of the clearance. */
export const useSeries = defineStore('series', () => {
  const cell = useCell()
  const measure = useMeasure()

  const followed = shallowRef<Followed | null>(null)
  const all = shallowRef<Series[]>([])
  const notCertain = shallowRef<string[]>([])
  /** Which of them is drawn. */
  const chosen = ref(0)
  const busy = ref(false)
  const refused = ref('')
  const shown = computed((): Series | null => all.value[chosen.value] ?? null)
  const ofReach = computed(() => (followed.value && 'tcp' in followed.value ? all.value : []))

  let turn = 0
  async function load() {
    const [own, of] = [++turn, followed.value]
    if (!of || !cell.cell) return
    const params = { path: { id: cell.cell.id } }
    busy.value = true
    try {
      const found =
        'tcp' in of
          ? await answer(api.POST('/api/cells/{id}/reach-along', { params, body: of }))
          : await answer(
              api.POST('/api/cells/{id}/along', {
                params,
                body: {
                  picks: measure.picks,
                  frame: measure.frame,
                  nearest: of.measured === 'to the nearest',
                },
              }),
            )
      if (own !== turn) return
      refused.value = ''
      all.value = found.series
      notCertain.value = found.not_certain ?? []
    } catch (e) {
      if (own !== turn) return
      all.value = []
      refused.value = (e as Error).message
    } finally {
      if (own === turn) busy.value = false
    }
  }
  async function follow(what: Followed) {
    followed.value = what
    chosen.value = 0
    all.value = []
    await load()
  }
  const followMeasured = () => follow({ measured: 'itself' })
  const followNearest = () => follow({ measured: 'to the nearest' })
  const followReach = (tcp: string) => follow({ tcp })
  function close() {
    turn++
    followed.value = null
    all.value = []
    refused.value = ''
    busy.value = false
  }
  const choose = (series: Series) => (chosen.value = Math.max(0, all.value.indexOf(series)))

  // What is followed is followed on when the cell or what is picked changes.
  watch([() => measure.picks, () => measure.frame], () => {
    if (!followed.value || 'tcp' in followed.value) return
    if (measure.picks.length === 1 || measure.picks.length === 2) void load()
    else close()
  })
  watch([() => cell.cell?.id, () => cell.cell?.fingerprint], ([id], [before]) =>
    id === before ? void load() : close(),
  )

  return {
    followed,
    all,
    ofReach,
    notCertain,
    chosen,
    shown,
    busy,
    refused,
    followMeasured,
    followNearest,
    followReach,
    choose,
    close,
  }
})
