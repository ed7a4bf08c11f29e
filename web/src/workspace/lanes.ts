import type { Cell } from '../api/client'
import { moveSaid } from '../when/moveSaid'

/** How far apart lanes are drawn, and how high each is, pixels. */
export const LANE = 17
export const HIGH = 14
const FIRST = 6

/** Where a lane begins, from above. */
export const topOf = (lane: number) => FIRST + lane * LANE

type Played = Cell['path']['runs'][number]
type Document = Cell['document']

/** The moves of a program on the path, as the document has them. */
function stepsOf(document: Document, { lane, nth, starts_s }: Played) {
  const id = document.run_plan?.lanes?.[lane]?.programs[nth]
  const moves = document.programs?.find((p) => p.id === id)?.moves ?? []
  return moves.slice(0, starts_s.length)
}

/** How many lanes there are. */
export const laneCount = (cell: Cell | null | undefined) =>
  cell?.document.run_plan?.lanes?.length ?? 0

/** From when until when a program runs. */
export interface Run {
  lane: number
  name: string
  robot: string
  start: number
  end: number
}

export const runsOf = ({ path }: Cell): Run[] =>
  path.runs.map(({ lane, program, robot, starts_s, ends_s }) => {
    const [start, end] = [starts_s[0] ?? 0, ends_s.at(-1) ?? 0]
    return { lane, name: program, robot, start, end }
  })

/** A meeting of lanes at a mark: when each gets there; all go on when the last is there. */
export interface Meeting {
  mark: string
  at: number
  lanes: { lane: number; time: number }[]
}

/** Where lanes wait for each other. A mark that comes again in a lane is another meeting. */
export function meetingsOf({ path, document }: Cell): Meeting[] {
  const meetings = new Map<string, Meeting>()
  const passed = new Map<string, number>()
  function meet(mark: string, lane: number, time: number) {
    const nth = passed.get(`${lane}/${mark}`) ?? 0
    passed.set(`${lane}/${mark}`, nth + 1)
    const { at, lanes } = meetings.get(`${mark}/${nth}`) ?? { at: 0, lanes: [] }
    const all = [...lanes, { lane, time }]
    meetings.set(`${mark}/${nth}`, { mark, at: Math.max(at, time), lanes: all })
  }
  for (const run of path.runs)
    stepsOf(document, run).forEach((step, index) => {
      if (step.move === 'sync') meet(step.mark, run.lane, run.starts_s[index]!)
    })
  return [...meetings.values()]
}

/** Where moves end: the lane, when, and what the move is. */
export interface End {
  lane: number
  at: number
  said: string
}

/** Where moves end, in order of lanes. */
export const endsOf = ({ path, document }: Cell): End[] =>
  path.runs.flatMap((run) =>
    stepsOf(document, run).map((step, index) => ({
      lane: run.lane,
      at: run.ends_s[index]!,
      said: moveSaid(step),
    })),
  )

/** Those of `ends` within `from`..`to`, no two of a lane nearer than `apart` (s). */
export function toldApart(ends: End[], [from, to]: readonly [number, number], apart: number) {
  const last = new Map<number, number>()
  return ends.filter(({ lane, at }) => {
    if (at < from || at > to || at - (last.get(lane) ?? -Infinity) < apart) return false
    last.set(lane, at)
    return true
  })
}

/** Where parts are taken and released. */
export const handsOf = ({ path, document }: Cell) =>
  path.runs.flatMap((run) =>
    stepsOf(document, run).flatMap((step, index) => {
      if (step.move !== 'take' && step.move !== 'release') return []
      const takes = step.move === 'take'
      return [{ lane: run.lane, at: run.starts_s[index]!, takes, item: step.item }]
    }),
  )
