import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { basis } from '../scene/navigation'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'
import { useMeasure } from './measureStore'
import { type Series, useSeries } from './seriesStore'
import { worstEnd } from './seriesTold'

/** In which plane the outline of what can be reached is drawn. */
export const planes = {
  arm: 'in the plane of the arm',
  view: 'square to the view',
  level: 'level',
  section: 'in the cut',
} as const
export type OutlinePlane = keyof typeof planes

/** What a robot reaches: what is used of it along the path, the outline of all of it. */
export const useReach = defineStore('reach', () => {
  const cell = useCell()
  const jog = useJog()
  const measure = useMeasure()
  const section = useSection()
  const series = useSeries()
  const when = useWhen()
  const where = useWhere()

  /** TCPs that a robot moves: those of programs first. */
  const tcps = computed(() => {
    const document = cell.cell?.document
    if (!document) return []
    const driven = (document.programs ?? []).flatMap((p) => (p.tcp ? [p.tcp] : []))
    const frames = document.items.filter((i) => i.role === 'frame' && i.frame_kind === 'tcp')
    return [...new Set([...driven, ...frames.map((f) => f.id)])].filter((id) => cell.items.has(id))
  })
  const chosen = ref<string | null>(null)
  const tcp = computed(() => tcps.value.find((id) => id === chosen.value) ?? tcps.value[0] ?? null)

  // ---- along the path
  const follow = () => tcp.value && series.followReach(tcp.value)
  watch(tcp, () => {
    // Another robot's numbers would stand beside its name.
    if (series.followed && 'tcp' in series.followed) void follow()
  })
  /** The worst instant of each series that has one, and how bad it is. */
  const worst = computed(() =>
    series.ofReach
      .filter((s) => !['horizontal', 'vertical'].includes(s.what))
      .map((s) => ({ series: s, end: worstEnd(s), ...s[worstEnd(s)] })),
  )
  /** Goes to an instant, with the reach from the base measured there. */
  function goTo(of: Series, time_s: number) {
    series.choose(of)
    when.pause()
    when.goTo(time_s)
    measureReach()
  }
  /** From the robot's base to the TCP, drawn. */
  function measureReach() {
    const base = tcp.value && robotOf(tcp.value)
    if (!base) return
    measure.set([
      { on: base, kind: 'frame' },
      { on: tcp.value!, kind: 'frame' },
    ])
  }
  function robotOf(id: string): string | null {
    for (let at = cell.items.get(id); at; at = cell.items.get(at.parent ?? ''))
      if (at.role === 'robot') return at.id
    return null
  }

  // ---- the outline
  const outlined = ref(false)
  const of = ref<'wrist' | 'tcp'>('wrist')
  const plane = ref<OutlinePlane>('arm')
  const outline = shallowRef<Schemas['OutlineAnswer'] | null>(null)
  const refused = ref('')
  /** A cut that moves with nothing. */
  const stillCut = computed(() => section.sections.find((s) => !s.fixed_to))
  const planeNow = computed(() => {
    if (plane.value === 'level') return { normal: [0, 0, 1] }
    if (plane.value === 'view') return { normal: basis(where.viewpoint).back }
    const cut = stillCut.value
    if (plane.value === 'section' && cut) return { normal: cut.normal, through_mm: cut.point_mm }
    return {}
  })
  let asked = false
  let busy = false
  async function draw() {
    asked = true
    if (busy) return
    busy = true
    while (asked && outlined.value && tcp.value && cell.cell) {
      asked = false
      const params = { path: { id: cell.cell.id } }
      const now = { time_s: when.time, joints_deg_or_mm: jog.tried }
      const body = { tcp: tcp.value, of: of.value, ...planeNow.value, ...now }
      try {
        outline.value = await answer(api.POST('/api/cells/{id}/reach-outline', { params, body }))
        refused.value = ''
      } catch (e) {
        outline.value = null
        refused.value = (e as Error).message
      }
    }
    busy = false
    if (!outlined.value) forget()
  }
  function forget() {
    outline.value = null
    refused.value = ''
  }
  watch(
    [
      outlined,
      of,
      planeNow,
      tcp,
      () => when.time,
      () => jog.answer,
      () => cell.cell?.revision,
      () => cell.cell?.id,
    ],
    () => void (outlined.value ? draw() : forget()),
  )
  const lines = computed(() => (outline.value?.lines_mm ?? []) as Vec3[][])

  return {
    tcps,
    tcp,
    choose: (id: string) => (chosen.value = id),
    follow,
    worst,
    goTo,
    measureReach,
    outlined,
    of,
    plane,
    outline,
    stillCut,
    refused,
    lines,
  }
})
