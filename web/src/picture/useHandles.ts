import { MathUtils, type Matrix4, Quaternion, Vector3 } from 'three'
import { computed, type Ref, type ShallowRef, watch } from 'vue'

import type { Vec3 } from '../api/client'
import { add } from '../scene/navigation'
import { flatOf, matrixOf } from '../scene/poses'
import type { Scene } from '../scene/scene'
import { useSettings } from '../settings/settingsStore'
import { useHeld } from '../what/heldStore'
import { useItems } from '../what/itemsStore'
import { useJog } from '../when/jogStore'
import { useTarget } from '../when/targetStore'
import { useWhere } from '../where/whereStore'

/** Where handles stand and which way they point, and what is done with what they are on. */
interface Grasp {
  at: number[]
  /** Coordinate systems that go along at once. */
  nodes: number[]
  moved: (motion: Matrix4) => void
  /** False where it may not be there. */
  placed: (motion: Matrix4) => void | Promise<boolean>
}

/** Handles in the picture, on what has them. */
export function useHandles(
  scene: ShallowRef<Scene | undefined>,
  loading: Ref<boolean>,
  /** Everything where the cell says it stands. */
  standAgain: () => void,
) {
  const held = useHeld()
  const settings = useSettings()
  const size = computed(() => settings.furniture.handleSize)
  const grasps = {
    selection: useSelection(standAgain),
    tcp: useTcp(),
    target: useTargetOfMove(),
  }
  const grasp = computed(() => held.on && grasps[held.on.what].value)
  let dragging = false

  function show() {
    const [mode, on] = [held.on?.mode, grasp.value]
    if (!mode || !on || loading.value) {
      // What is put back where it was is told as moved once more.
      scene.value?.stage.setHandles(null)
      dragging = false
      held.dragged = null
      return
    }
    // What is dragged keeps its handles where it was taken.
    if (dragging) return
    const moved = (motion: Matrix4) => {
      dragging = true
      on.moved(motion)
    }
    const placed = async (motion: Matrix4) => {
      const stays = await on.placed(motion)
      held.dragged = null
      dragging = false
      if (stays === false) show()
    }
    const { at, nodes } = on
    scene.value?.stage.setHandles({ mode, at, size: size.value, nodes }, { moved, placed })
  }
  watch([grasp, () => held.on?.mode, size, scene, loading], show)
}

/** What is selected goes along, and is arranged where it is let go. */
function useSelection(standAgain: () => void) {
  const held = useHeld()
  const items = useItems()
  const where = useWhere()
  return computed((): Grasp | null => {
    const grip = items.grip
    if (!grip) return null
    let from: Vec3 | null = null
    const moved = (motion: Matrix4) => {
      held.dragged = draggedBy(motion, grip.at)
      if (!items.carry) return
      from ??= where.viewpoint.pivot_mm as Vec3
      where.move({ ...where.viewpoint, pivot_mm: add(from, held.dragged.by_mm) })
    }
    const placed = async (motion: Matrix4) => {
      from = null
      held.dragged = null
      const made = await items.arrange({ motion: { by: flatOf(motion) } })
      standAgain()
      return made
    }
    return { at: grip.at, nodes: grip.nodes, moved, placed }
  })
}

/** The TCP that is jogged: its robot follows. */
function useTcp() {
  const jog = useJog()
  return computed((): Grasp | null => {
    const tcp = jog.answer?.tcp
    if (!tcp) return null
    const start = matrixOf(tcp.world)
    const reach = (motion: Matrix4) => jog.reachInWorld(flatOf(motion.clone().multiply(start)))
    // They point along the axes of the frame in which the TCP is told.
    const at = [...tcp.world.slice(0, 3), ...tcp.axes.slice(3)]
    return { at, nodes: [], moved: reach, placed: reach }
  })
}

/** The target of a move: its robot stands there when it is known how. */
function useTargetOfMove() {
  const held = useHeld()
  const target = useTarget()
  return computed((): Grasp | null => {
    const at = target.grip
    if (!at) return null
    const moved = (motion: Matrix4) => {
      held.dragged = draggedBy(motion, at)
    }
    const placed = (motion: Matrix4) => target.arrange({ motion: { by: flatOf(motion) } })
    return { at, nodes: [], moved, placed }
  })
}

/** How far a motion takes what stands somewhere. */
function draggedBy(motion: Matrix4, at: number[]) {
  const start = new Vector3(...at.slice(0, 3))
  const by = start.clone().applyMatrix4(motion).sub(start).multiplyScalar(1e3)
  const turn = new Quaternion().setFromRotationMatrix(motion)
  const turn_deg = MathUtils.radToDeg(2 * Math.acos(Math.min(1, Math.abs(turn.w))))
  return { by_mm: by.toArray() as Vec3, turn_deg, motion: flatOf(motion) }
}
