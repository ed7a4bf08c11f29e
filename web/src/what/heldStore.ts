import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import type { Vec3 } from '../api/client'

/** What can have handles: the selection, the TCP that is jogged, a target of a program. */
export type Held = 'selection' | 'tcp' | 'target'
export type HandleMode = 'move' | 'turn'

/** Handles in the picture. There is one set: what takes them, takes them from the others. */
export const useHeld = defineStore('held', () => {
  const on = ref<{ what: Held; mode: HandleMode } | null>(null)
  /** How far they have taken it since the drag began, and the motion in the world. */
  const dragged = ref<{ by_mm: Vec3; turn_deg: number; motion: number[] } | null>(null)

  /** The handles of one of them: none, to move or to turn. */
  const modeOf = (what: Held) =>
    computed({
      get: () => (on.value?.what === what ? on.value.mode : null),
      set: (mode) => {
        if (mode) on.value = { what, mode }
        else if (on.value?.what === what) on.value = null
      },
    })

  return { on, dragged, modeOf }
})
