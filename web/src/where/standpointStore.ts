import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import type { Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { eye, lookingAt, standing, walk, withPivotAt } from '../scene/navigation'
import { useWhere } from './whereStore'

const AHEAD = 1500
/** Keys by their place on the keyboard, so that the layout does not matter. */
const KEYS: Record<string, Vec3> = {
  KeyW: [0, 1, 0],
  ArrowUp: [0, 1, 0],
  KeyS: [0, -1, 0],
  ArrowDown: [0, -1, 0],
  KeyA: [-1, 0, 0],
  ArrowLeft: [-1, 0, 0],
  KeyD: [1, 0, 0],
  ArrowRight: [1, 0, 0],
  KeyE: [0, 0, 1],
  PageUp: [0, 0, 1],
  KeyQ: [0, 0, -1],
  PageDown: [0, 0, -1],
}

/** Standing in the cell: on foot at eye height, or flying. */
export const useStandpoint = defineStore('standpoint', () => {
  const where = useWhere()
  const cell = useCell()
  const settings = useSettings()
  const mode = ref<'foot' | 'flight' | null>(null)
  const speed = ref(1000)
  const held = ref(new Set<string>())
  /** The pane one stands in. */
  const pane = ref(0)
  const view = computed(() => where.panes[pane.value]!.viewpoint)
  const height = computed(() => eye(view.value)[2])
  /** Where the first click on the plan put the camera. */
  const planned = ref<Vec3 | null>(null)

  /** Some five seconds from end to end of the cell, mm/s. */
  function fittingSpeed(): number {
    const places = cell.cell?.poses ?? []
    const spread = [0, 1].map((i) => {
      const along = places.map((p) => p[i]!)
      return along.length ? Math.max(...along) - Math.min(...along) : 0
    })
    return Math.min(
      20_000,
      Math.max(300, Math.round((Math.hypot(...spread) * 1000) / 5 / 100) * 100),
    )
  }
  function begin(how: 'foot' | 'flight') {
    pane.value = where.active
    speed.value = fittingSpeed()
    held.value = new Set()
    mode.value = how
  }
  /** Stands at a point of the floor, looking the way one looked, level. */
  function standAt(floor: Vec3) {
    const at: Vec3 = [floor[0], floor[1], floor[2] + settings.looking.eyeHeight_mm]
    where.goTo(
      standing(
        { ...where.viewpoint, lens_mm: Math.min(where.viewpoint.lens_mm, 24) },
        at,
        where.viewpoint.bearing_deg,
        0,
        AHEAD,
      ),
    )
    begin('foot')
  }
  function fly() {
    where.remember()
    where.move(
      withPivotAt(
        standing(
          where.viewpoint,
          eye(where.viewpoint),
          where.viewpoint.bearing_deg,
          where.viewpoint.elevation_deg,
          AHEAD,
        ),
        AHEAD,
      ),
    )
    begin('flight')
  }
  /** Ends standing and keeps the view; the pivot goes to what lies ahead, so many mm off. */
  function leave(ahead = AHEAD) {
    if (!mode.value) return
    mode.value = null
    where.move(withPivotAt(view.value, ahead), pane.value)
  }
  function setHeight(mm: number) {
    settings.looking.eyeHeight_mm = Math.min(10_000, Math.max(100, mm))
    where.move(
      walk(view.value, 0, 0, settings.looking.eyeHeight_mm - height.value, false),
      pane.value,
    )
  }
  function faster(factor: number) {
    speed.value = Math.min(50_000, Math.max(20, speed.value * factor))
  }

  let last = 0
  function tick(now: number) {
    if (!mode.value || !held.value.size) return
    const by = Math.min(0.1, Math.max(0, now - last) / 1000) * speed.value
    last = now
    const way = [...held.value].reduce<Vec3>(
      (s, k) => [s[0] + KEYS[k]![0], s[1] + KEYS[k]![1], s[2] + KEYS[k]![2]],
      [0, 0, 0],
    )
    where.move(
      walk(view.value, way[0] * by, way[1] * by, way[2] * by, mode.value === 'flight'),
      pane.value,
    )
    requestAnimationFrame(tick)
  }
  /** Takes a key; says whether it was one of its own. */
  function key(e: KeyboardEvent, down: boolean): boolean {
    if (!mode.value || !KEYS[e.code] || e.ctrlKey || e.altKey || e.metaKey) return false
    const idle = !held.value.size
    const next = new Set(held.value)
    if (down) next.add(e.code)
    else next.delete(e.code)
    held.value = next
    if (down && idle) {
      last = performance.now()
      requestAnimationFrame(tick)
    }
    return true
  }
  const release = () => (held.value = new Set())

  /**
   * The camera set on the plan: first where it stands, then what it looks at. In several panes the
   * plan stays and another pane shows the view.
   */
  function planCamera(at: Vec3, clicked: number) {
    if (where.asking === 'camera-from') {
      planned.value = [at[0], at[1], settings.looking.eyeHeight_mm]
      where.asking = 'camera-to'
      return
    }
    const from = planned.value!
    const target = where.shownPanes.find((p) => p !== clicked) ?? clicked
    const level: Vec3 = [at[0], at[1], from[2]]
    const { bearing_deg } = lookingAt(from, level)
    const ahead = Math.max(300, Math.hypot(level[0] - from[0], level[1] - from[1]))
    where.goTo(standing(where.panes[target]!.viewpoint, from, bearing_deg, 0, ahead), target)
    where.asking = null
    planned.value = null
  }

  return {
    mode,
    speed,
    pane,
    height,
    planned,
    standAt,
    fly,
    leave,
    setHeight,
    faster,
    key,
    release,
    planCamera,
  }
})
