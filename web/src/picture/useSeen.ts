import { inject } from 'vue'

import type { Vec3 } from '../api/client'
import { sceneKey } from './sceneKey'

/** Where a point (mm) appears on a pane now, pixels; it follows each drawn frame. */
export function useSeen(pane: () => number) {
  const { scene, frame } = inject(sceneKey)!
  return (at: Vec3) => (frame.value >= 0 ? (scene.value?.spots.project(pane(), at) ?? null) : null)
}
