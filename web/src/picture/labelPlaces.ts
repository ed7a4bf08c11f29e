/** Where labels stand so that they cover neither one another nor what they are about. */

export type At = readonly [number, number]

export interface Box {
  left: number
  top: number
  width: number
  height: number
}

export interface Wanting {
  /** What it is about, pixels. */
  at: At
  width: number
  height: number
  /** Where a hand has put it: its middle, from what it is about. */
  moved?: At | undefined
}

/** Free pixels round labels and points. */
const ROOM = 4
/** How far labels stand off what they are about: as near as there is room. */
const STEPS = [22, 44, 72, 110]
/** Where they are tried first: to the upper right, then round. */
const TURNS = [-45, 45, -135, 135, 0, 180, -90, 90]

const overlaps = (a: Box, b: Box) =>
  a.left < b.left + b.width + ROOM &&
  b.left < a.left + a.width + ROOM &&
  a.top < b.top + b.height + ROOM &&
  b.top < a.top + a.height + ROOM

const round = ([x, y]: At): Box => ({
  left: x - ROOM,
  top: y - ROOM,
  width: 2 * ROOM,
  height: 2 * ROOM,
})

function boxAt(label: Wanting, [x, y]: At): Box {
  const { width, height } = label
  return { left: label.at[0] + x - width / 2, top: label.at[1] + y - height / 2, width, height }
}

/** The offset of a label's middle in a direction, so that its edge is `step` away. */
function offset({ width, height }: Wanting, turn: number, step: number): At {
  const [cos, sin] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)]
  return [
    cos * step + Math.sign(Math.round(cos * 10)) * (width / 2),
    sin * step + Math.sign(Math.round(sin * 10)) * (height / 2),
  ]
}

/**
 * A place for each label within a pane, one after the other; `free` are points that none may cover.
 * Where there is no room at all, the first place is taken.
 */
export function labelPlaces(
  labels: Wanting[],
  free: At[],
  pane: { width: number; height: number },
): Box[] {
  const taken: Box[] = free.map(round)
  const inside = (b: Box) =>
    b.left >= 0 && b.top >= 0 && b.left + b.width <= pane.width && b.top + b.height <= pane.height
  return labels.map((label) => {
    const tries = label.moved
      ? [boxAt(label, label.moved)]
      : STEPS.flatMap((step) => TURNS.map((turn) => boxAt(label, offset(label, turn, step))))
    const place = tries.find((b) => inside(b) && !taken.some((t) => overlaps(b, t))) ?? tries[0]!
    taken.push(place)
    return place
  })
}
