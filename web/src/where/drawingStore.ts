import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useSection } from './sectionStore'

export type Drawing = Schemas['SectionDrawing']
export type Flat = [number, number]
export type Format = Schemas['DrawingFormat']

/** The section that is worked on as a flat drawing, with distances that a hand has placed. */
export const useDrawing = defineStore('drawing', () => {
  const cell = useCell()
  const notices = useNotices()
  const section = useSection()
  const jog = useJog()
  const what = useWhat()
  const when = useWhen()

  const open = ref(false)
  /** Which plane of the section. */
  const plane = ref(0)
  const drawing = shallowRef<Drawing | null>(null)
  const placed = ref<[Flat, Flat][]>([])
  /** The distances as they were drawn last. */
  const dimensions = computed(() => drawing.value?.dimensions ?? [])
  /** Where the next distance begins. */
  const begun = ref<Flat | null>(null)

  /** A robot's reach whose outline is drawn in the plane, too. */
  const reach = shallowRef<Schemas['DrawnReach'] | null>(null)

  const planes = computed(() => {
    const shape = section.section?.shape ?? 'plane'
    if (shape === 'plane') return 1
    return 'slab' in shape ? 2 : shape.corner.others.length + 1
  })
  function toggle() {
    open.value = !open.value && section.section !== null
  }
  /** The point ends a distance, or begins one. */
  function place(point: Flat) {
    const from = begun.value
    begun.value = from ? null : point
    if (from) placed.value = [...placed.value, [from, point]]
  }
  const removeDimension = (index: number) =>
    (placed.value = placed.value.filter((_, i) => i !== index))

  function request() {
    const items = [...what.visible].filter((i) => !section.cuts.uncut.has(i))
    return {
      sections: section.sections,
      section: section.at,
      plane: Math.min(plane.value, planes.value - 1),
      items,
      dimensions_mm: placed.value,
      reach: reach.value,
      time_s: when.time,
      joints_deg_or_mm: jog.tried,
    }
  }
  const path = () => ({ params: { path: { id: cell.cell!.id } } })

  let asked = false
  let busy = false
  async function draw() {
    asked = true
    if (busy) return
    busy = true
    while (asked && open.value && section.section) {
      asked = false
      const body = request()
      const found = api.POST('/api/cells/{id}/section-drawing', { ...path(), body })
      drawing.value = await answer(found).catch((e: unknown) => {
        notices.say(e)
        return null
      })
    }
    busy = false
  }
  watch(
    [
      open,
      plane,
      placed,
      reach,
      () => section.cuts,
      () => section.at,
      () => what.visible,
      () => when.time,
    ],
    () => open.value && void draw(),
  )
  watch([() => jog.answer, () => cell.cell?.revision], () => open.value && void draw())
  // Distances are of the plane they were placed in.
  watch([plane, () => section.at, () => section.section?.normal], () => {
    placed.value = []
    begun.value = null
  })
  watch(
    () => section.section === null,
    (none) => {
      if (none) open.value = false
    },
  )

  /** The drawing as a file. */
  async function file(format: Format, title: string): Promise<Blob> {
    const body = { ...request(), format, title }
    const found = api.POST('/api/cells/{id}/section-drawing/file', {
      ...path(),
      body,
      parseAs: 'blob' as const,
    })
    return (await answer(found)) as unknown as Blob
  }

  return {
    open,
    plane,
    planes,
    drawing,
    dimensions,
    begun,
    reach,
    toggle,
    place,
    removeDimension,
    file,
  }
})
