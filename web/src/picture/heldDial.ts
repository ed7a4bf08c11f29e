import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { useWhere } from '../where/whereStore'

/**
 * Bearings anticlockwise from below the pointer, as the floor ring shows them: within the inner
 * ring.
 */
const INNER = [
  'front',
  'front-right',
  'right',
  'back-right',
  'back',
  'back-left',
  'left',
  'front-left',
]
const [DEAD, RING] = [22, 78]

/** The view a stroke of so many pixels points at. */
export function viewOfStroke(dx: number, dy: number): string | null {
  const far = Math.hypot(dx, dy)
  if (far < DEAD) return null
  if (far > RING) return dy < 0 ? 'top' : 'bottom'
  const turn = Math.round(Math.atan2(dx, dy) / (Math.PI / 4))
  return INNER[(turn + 8) % 8]!
}

/** The dial at the pointer, for as long as its key is held. */
export const useHeldDial = defineStore('held-dial', () => {
  const where = useWhere()
  const at = ref<{ x: number; y: number } | null>(null)
  const pointer = ref({ x: 0, y: 0 })
  const chosen = computed(() =>
    at.value ? viewOfStroke(pointer.value.x - at.value.x, pointer.value.y - at.value.y) : null,
  )
  const choices = [
    ...INNER.map((id, i) => ({
      id,
      x: 52 * Math.sin((i * Math.PI) / 4) * 1.25,
      y: 52 * Math.cos((i * Math.PI) / 4),
    })),
    { id: 'top', x: 0, y: -98 },
    { id: 'bottom', x: 0, y: 98 },
  ]

  function moved(e: { clientX: number; clientY: number }) {
    pointer.value = { x: e.clientX, y: e.clientY }
  }
  const open = () => (at.value ??= { ...pointer.value })
  function close(go: boolean) {
    const to = chosen.value
    at.value = null
    if (go && to) void where.standard(to, where.under)
  }
  return { at, chosen, choices, moved, open, close }
})
