import { MathUtils, type Matrix4, Quaternion, Vector3 } from 'three'
import { computed, type Ref, type ShallowRef, watch } from 'vue'

import type { Vec3 } from '../api/client'
import { add } from '../scene/navigation'
import { flatOf, matrixOf } from '../scene/poses'
import type { Scene } from '../scene/scene'
import { useSettings } from '../settings/settingsStore'
import { useItems } from '../what/itemsStore'
import { useJog } from '../when/jogStore'
import { useWhere } from '../where/whereStore'

type Shown = ShallowRef<Scene | undefined>

/** Handles on what is selected: it goes along, and is arranged where it is let go. */
export function useSelectionHandles(
  scene: Shown,
  loading: Ref<boolean>,
  /** Everything where the cell says it stands. */
  standAgain: () => void,
) {
  const items = useItems()
  const where = useWhere()
  const settings = useSettings()
  const handleSize = computed(() => settings.furniture.handleSize)
  watch([() => items.handles, () => items.grip, handleSize, scene, loading], () => {
    const [mode, grip] = [items.handles, items.grip]
    if (!mode || !grip || loading.value) {
      scene.value?.stage.setHandles(null)
      items.dragged = null
      return
    }
    let from: Vec3 | null = null
    const shifted = (motion: Matrix4): Vec3 => {
      const [x, y, z] = [
        new Vector3(...grip.at.slice(0, 3)),
        new Vector3(...grip.at.slice(0, 3)).applyMatrix4(motion),
      ]
        .reduce((a, b) => b.clone().sub(a))
        .multiplyScalar(1e3)
        .toArray()
      return [x, y, z]
    }
    scene.value?.stage.setHandles(
      { mode, at: grip.at, size: handleSize.value, nodes: grip.nodes },
      {
        moved: (motion) => {
          const by = flatOf(motion)
          items.dragged = { by_mm: shifted(motion), turn_deg: turnOf(motion), motion: by }
          if (!items.carry) return
          from ??= where.viewpoint.pivot_mm as Vec3
          where.move({ ...where.viewpoint, pivot_mm: add(from, shifted(motion)) })
        },
        placed: async (motion) => {
          from = null
          items.dragged = null
          await items.arrange({ motion: { by: flatOf(motion) } })
          standAgain()
        },
      },
    )
  })
}

const turnOf = (motion: Matrix4) => {
  const turn = new Quaternion().setFromRotationMatrix(motion)
  return MathUtils.radToDeg(2 * Math.acos(Math.min(1, Math.abs(turn.w))))
}

/** Handles on the TCP that is jogged. */
export function useTcpHandles(scene: Shown) {
  const items = useItems()
  const jog = useJog()
  const settings = useSettings()
  const handleSize = computed(() => settings.furniture.handleSize)
  const tcpAt = computed(() => (jog.handles ? (jog.answer?.tcp ?? null) : null))
  let dragging = false
  watch([tcpAt, () => jog.handles, handleSize, scene], () => {
    if (dragging || items.handles) return
    const at = tcpAt.value
    if (!at || !jog.handles) return scene.value?.stage.setHandles(null)
    const start = matrixOf(at.world)
    // They point along the axes of the frame in which the TCP is told.
    const along = [...at.world.slice(0, 3), ...at.axes.slice(3)]
    const reach = (motion: Matrix4) => jog.reachInWorld(flatOf(motion.clone().multiply(start)))
    const mode = jog.handles
    scene.value?.stage.setHandles(
      { mode, at: along, size: handleSize.value, nodes: [] },
      {
        moved: (motion) => {
          dragging = true
          reach(motion)
        },
        placed: (motion) => {
          dragging = false
          reach(motion)
        },
      },
    )
  })
}
