import { defineStore } from 'pinia'
import { shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Section, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { basis } from '../scene/navigation'
import { useWhere } from './whereStore'

/** The cut through what is shown. */
export const useSection = defineStore('section', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()
  const section = shallowRef<Section | null>(null)
  const faces = shallowRef<Schemas['SectionFaces'] | null>(null)

  /** Where a new section begins: in the middle of the selection, or at the pivot. */
  async function middle(): Promise<Vec3> {
    const chosen = [...what.selected].flatMap((i) => cell.family(i))
    const shown = chosen.filter((i) => what.visible.has(i))
    if (!shown.length) return [...where.viewpoint.pivot_mm] as Vec3
    // Framed square on and without perspective, the pivot is the middle of its box.
    const square = {
      bearing_deg: 0,
      elevation_deg: 0,
      roll_deg: 0,
      projection: 'parallel',
    } as const
    const { pivot_mm } = await where.framed(shown, { ...where.viewpoint, ...square })
    return [...pivot_mm] as Vec3
  }
  async function toggle() {
    if (section.value) {
      section.value = null
      return
    }
    // Square to the axis one looks along most: what is between it and the eye is taken away.
    const { back } = basis(where.viewpoint)
    const axis = [0, 1, 2].sort((a, b) => Math.abs(back[b]!) - Math.abs(back[a]!))[0]!
    const normal: Vec3 = [0, 0, 0]
    normal[axis] = Math.sign(back[axis]!) || 1
    section.value = { point_mm: await middle(), normal }
  }

  let asked = 0
  let busy = false
  async function cutFaces() {
    asked++
    if (busy) return
    busy = true
    try {
      while (asked && section.value && cell.cell) {
        asked = 0
        const body = { section: section.value, items: [...what.visible], time_s: when.time }
        const path = { id: cell.cell.id }
        faces.value = await answer(
          api.POST('/api/cells/{id}/section', { params: { path }, body }),
        ).catch(() => null)
      }
      if (!section.value) faces.value = null
    } finally {
      busy = false
    }
  }
  watch([section, () => what.visible, () => when.shownTime], () => {
    if (section.value) void cutFaces()
    else faces.value = null
  })

  return { section, faces, toggle }
})
