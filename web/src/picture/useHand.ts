import { useEventListener } from '@vueuse/core'
import { ref, type Ref } from 'vue'

import type { Vec3, Viewpoint } from '../api/client'
import type { Scene } from '../scene/scene'
import type { Hit } from '../scene/picking'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { gestureOf, heldGestures, type Movement } from '../settings/gestures'
import { add, comeNearer, look, orbit, pan, roll } from '../scene/navigation'
import { useStandpoint } from '../where/standpointStore'
import { useWhere } from '../where/whereStore'

type At = [number, number]

export interface HandEvents {
  click: (at: At, e: PointerEvent) => void
  doubleClick: (at: At) => void
  rectangle: (from: At, to: At, movement: Movement, e: PointerEvent) => void
  menu: (at: At, e: PointerEvent) => void
  hover: (hit: Hit | null, at: At, e: PointerEvent) => void
}

/** A drag begins after so many pixels; a drawing that stands square is only turned on purpose. */
const SLACK = 4
const SLACK_SQUARE = 28
const WHEEL_PAUSE_MS = 400
const DOUBLE_MS = 400

/** While this key is held the plain left button navigates. */
export const lookKey = ref(false)

/** Turns pointer, wheel, trackpad and touch on one pane into movements. */
export function useHand(
  element: Ref<HTMLElement | undefined>,
  pane: number,
  scene: () => Scene | undefined,
  on: HandEvents,
) {
  const where = useWhere()
  const what = useWhat()
  const settings = useSettings()
  const standpoint = useStandpoint()

  interface Drag {
    movement: Movement
    start: At
    last: At
    moved: boolean
    about: Vec3
    middle: boolean
  }
  let drag: Drag | null = null
  /** The point turned about, while it is. */
  const pivot = ref<Vec3 | null>(null)
  const rectangle = ref<{ from: At; to: At } | null>(null)
  const view = () => where.panes[pane]!.viewpoint
  const move = (to: Viewpoint) => where.move(to, pane)

  const local = (e: { clientX: number; clientY: number }): At => {
    const r = element.value!.getBoundingClientRect()
    return [e.clientX - r.left, e.clientY - r.top]
  }
  const middle = (): At => [element.value!.clientWidth / 2, element.value!.clientHeight / 2]
  /** The point under a pixel: on what is there, or as deep as the pivot. */
  function under(at: At): Vec3 {
    const pivot_mm = view().pivot_mm as Vec3
    return (
      scene()?.spots.pick(pane, ...at)?.at ??
      scene()?.spots.onPlane(pane, ...at, pivot_mm) ??
      pivot_mm
    )
  }
  /** Comes nearer to what is under a pixel. */
  function nearer(v: Viewpoint, at: At, factor: number) {
    return comeNearer(v, scene()?.spots.pick(pane, ...at), under(at), factor)
  }
  function turnsAbout(at: At): Vec3 {
    if (settings.looking.pivot === 'pointer') return under(at)
    if (settings.looking.pivot === 'selection' && what.selected.size) return view().pivot_mm as Vec3
    return under(middle())
  }
  const standing = () => standpoint.mode !== null && standpoint.pane === pane

  function apply(d: Drag, dx: number, dy: number, at: At) {
    const { turnSpeed, moveSpeed } = settings.looking
    const [b, e] = [-dx * turnSpeed, dy * turnSpeed]
    const width = element.value!.clientWidth
    switch (standing() && d.movement === 'turn' ? 'look' : d.movement) {
      case 'turn':
        return move(orbit(view(), d.about, b, e))
      case 'turn-bearing':
        return move(orbit(view(), d.about, b, 0))
      case 'turn-elevation':
        return move(orbit(view(), d.about, 0, e))
      case 'look':
        return move(look(view(), b * 0.5, e * 0.5))
      case 'move':
        return move(pan(view(), dx * moveSpeed, dy * moveSpeed, width))
      case 'nearer':
        return move(nearer(view(), d.start, Math.exp(dy * 0.006)))
      case 'roll':
        return move(roll(view(), dx * turnSpeed))
      default:
        rectangle.value = { from: d.start, to: at }
    }
  }

  // ---- touch: one finger turns, two move and pinch
  const fingers = new Map<number, At>()
  function touchMoved(e: PointerEvent) {
    const before = [...fingers.values()]
    const from = fingers.get(e.pointerId)!
    const to = local(e)
    fingers.set(e.pointerId, to)
    if (fingers.size === 1) {
      if (drag) apply({ ...drag, movement: 'turn' }, to[0] - from[0], to[1] - from[1], to)
      return
    }
    const after = [...fingers.values()]
    const centre = (p: At[]): At => [(p[0]![0] + p[1]![0]) / 2, (p[0]![1] + p[1]![1]) / 2]
    const span = (p: At[]) => Math.max(1, Math.hypot(p[0]![0] - p[1]![0], p[0]![1] - p[1]![1]))
    const [a, b] = [centre(before), centre(after)]
    move(
      nearer(
        pan(view(), b[0] - a[0], b[1] - a[1], element.value!.clientWidth),
        b,
        span(before) / span(after),
      ),
    )
  }

  function down(e: PointerEvent) {
    element.value!.focus({ preventScroll: true })
    // A handle under the pointer takes the drag.
    if (e.button === 0 && scene()?.stage.handlesBusy) return void (where.active = pane)
    element.value!.setPointerCapture(e.pointerId)
    where.active = pane
    const at = local(e)
    if (e.pointerType === 'touch') fingers.set(e.pointerId, at)
    const gesture = gestureOf(e)
    const movement =
      e.pointerType === 'touch'
        ? 'turn'
        : (lookKey.value && heldGestures[gesture]) || settings.gestures[gesture]
    if (where.asking === 'rectangle')
      drag = {
        movement: 'fit-rectangle',
        start: at,
        last: [e.clientX, e.clientY],
        moved: false,
        about: [0, 0, 0],
        middle: false,
      }
    else
      drag = {
        movement: movement ?? 'select',
        start: at,
        last: [e.clientX, e.clientY],
        moved: false,
        about: turnsAbout(at),
        middle: e.button === 1,
      }
  }

  function moved(e: PointerEvent) {
    where.under = pane
    if (e.pointerType === 'touch' && fingers.has(e.pointerId)) {
      if (drag && !drag.moved) {
        drag.moved = true
        where.remember(pane)
      }
      return touchMoved(e)
    }
    const at = local(e)
    if (!drag) {
      if (scene()?.stage.handlesBusy) return void (what.hovered = null)
      const hit = scene()?.spots.pick(pane, ...at) ?? null
      what.hovered = hit?.item ?? null
      on.hover(hit, at, e)
      return
    }
    const locked = document.pointerLockElement === element.value
    const [dx, dy] = locked
      ? [e.movementX, e.movementY]
      : [e.clientX - drag.last[0], e.clientY - drag.last[1]]
    if (!drag.moved) {
      const turning = drag.movement.startsWith('turn')
      if (Math.hypot(dx, dy) < (turning && where.holdsSquare(pane) ? SLACK_SQUARE : SLACK)) return
      drag.moved = true
      drag.last = [e.clientX, e.clientY]
      const draws = drag.movement === 'select' || drag.movement === 'fit-rectangle'
      if (!draws) where.remember(pane)
      if (turning && !standing()) pivot.value = drag.about
      // The first pixels count, but not those that showed it was meant.
      if (turning && where.holdsSquare(pane)) return
    }
    drag.last = [e.clientX, e.clientY]
    apply(drag, dx, dy, at)
    goOn(e, drag)
  }

  /** At the edge of the window the pointer is held, so that a drag goes on. */
  function goOn(e: PointerEvent, d: Drag) {
    const draws = d.movement === 'select' || d.movement === 'fit-rectangle'
    const edge =
      e.clientX < 3 || e.clientY < 3 || e.clientX > innerWidth - 4 || e.clientY > innerHeight - 4
    if (draws || !edge || document.pointerLockElement) return
    // It may be granted after the button was let go.
    const letGo = () => drag !== d && document.exitPointerLock()
    Promise.resolve(element.value!.requestPointerLock()).then(letGo, () => undefined)
  }

  let lastMiddle = 0
  let lastLeft = { time: 0, at: [0, 0] as At }
  function up(e: PointerEvent) {
    fingers.delete(e.pointerId)
    if (document.pointerLockElement) document.exitPointerLock()
    const d = drag
    drag = null
    pivot.value = null
    rectangle.value = null
    if (!d) return
    const at = local(e)
    if (d.moved) {
      if (d.movement === 'select' || d.movement === 'fit-rectangle')
        on.rectangle(d.start, at, d.movement, e)
      return
    }
    if (e.button === 2) return on.menu(at, e)
    if (e.button === 1) {
      if (e.timeStamp - lastMiddle < DOUBLE_MS) void where.fitAll(pane)
      lastMiddle = e.timeStamp
      return
    }
    const again =
      e.timeStamp - lastLeft.time < DOUBLE_MS &&
      Math.hypot(at[0] - lastLeft.at[0], at[1] - lastLeft.at[1]) < 5
    lastLeft = { time: again ? 0 : e.timeStamp, at }
    if (again && !where.asking) on.doubleClick(at)
    else on.click(at, e)
  }

  // ---- wheel and trackpad
  let lastWheel = 0
  let held = 0
  function wheel(e: WheelEvent) {
    e.preventDefault()
    where.active = where.under = pane
    const pixels = e.deltaMode === 1 ? e.deltaY * 33 : e.deltaY
    if (standing() && !e.ctrlKey) return standpoint.faster(Math.exp(-pixels * 0.0015))
    if (e.timeStamp - lastWheel > WHEEL_PAUSE_MS) {
      where.remember(pane)
      held = 0
    }
    lastWheel = e.timeStamp
    const at = local(e)
    // Two fingers on a trackpad move in both directions or by fractions; a wheel steps one way.
    const trackpad =
      !e.ctrlKey && e.deltaMode === 0 && (e.deltaX !== 0 || !Number.isInteger(e.deltaY))
    if (trackpad && e.shiftKey)
      return move(pan(view(), -e.deltaX, -e.deltaY, element.value!.clientWidth))
    if (trackpad) {
      held += Math.hypot(e.deltaX, e.deltaY)
      if (where.holdsSquare(pane) && held < 120) return
      return move(orbit(view(), turnsAbout(at), -e.deltaX * 0.2, e.deltaY * 0.2))
    }
    const { wheelStep, wheelReversed } = settings.looking
    const notches =
      Math.max(-2.4, Math.min(2.4, pixels / 100)) * (wheelReversed && !e.ctrlKey ? -1 : 1)
    move(nearer(view(), at, Math.exp(notches * (e.ctrlKey ? 1 : -Math.log(1 - wheelStep / 100)))))
  }

  useEventListener(element, 'pointerdown', down)
  useEventListener(element, 'pointermove', moved)
  useEventListener(element, 'pointerup', up)
  useEventListener(element, 'pointercancel', (e: PointerEvent) => {
    fingers.delete(e.pointerId)
    drag = null
    pivot.value = rectangle.value = null
  })
  useEventListener(element, 'pointerleave', (e: PointerEvent) => {
    if (drag) return
    what.hovered = null
    on.hover(null, [0, 0], e)
  })
  useEventListener(element, 'contextmenu', (e: Event) => e.preventDefault())
  useEventListener(element, 'wheel', wheel, { passive: false })

  /** The corners (mm) of a rectangle of the pane, as deep as what lies in its middle. */
  function corners(from: At, to: At): Vec3[] {
    const depth = under([(from[0] + to[0]) / 2, (from[1] + to[1]) / 2])
    const at: At[] = [from, [to[0], from[1]], to, [from[0], to[1]]]
    return at.map((p) => scene()?.spots.onPlane(pane, ...p, depth) ?? depth)
  }
  /** How far ahead of the eye something is in the middle of the pane, mm. */
  function ahead(): number {
    const hit = scene()?.spots.pick(pane, ...middle())
    const v = view()
    const from = scene() && hit ? add(hit.at, v.pivot_mm as Vec3, -1) : null
    return from ? Math.hypot(...from) + v.distance_mm : v.distance_mm
  }

  return { pivot, rectangle, corners, ahead, under }
}
