import type { Cell, Schemas } from '../api/client'

/** How far apart lanes are drawn, and how high each is, pixels. */
export const LANE = 17
export const HIGH = 14
const FIRST = 6

/** Where a lane begins, from above. */
export const topOf = (lane: number) => FIRST + lane * LANE

type Span = Cell['path']['moves'][number]
type Step = Schemas['MoveDocument']
type Document = Cell['document']

/** What a span of the path plays, as the document has it. */
function stepOf(document: Document, { lane, nth, index }: Span): Step | undefined {
  const { programs, run_plan } = document
  const id = run_plan?.lanes?.[lane]?.programs[nth]
  return programs?.find((p) => p.id === id)?.moves[index]
}

/** How many lanes there are. */
export const laneCount = (cell: Cell | null | undefined) =>
  cell?.document.run_plan?.lanes?.length ?? 0

export interface Run {
  lane: number
  name: string
  robot: string
  start: number
  end: number
}

/** From when until when each program runs. */
export function runsOf({ path }: Cell): Run[] {
  const runs = new Map<string, Run>()
  for (const { lane, nth, program, robot, start_s, end_s } of path.moves) {
    const run = runs.get(`${lane}/${nth}`)
    const start = Math.min(run?.start ?? start_s, start_s)
    const end = Math.max(run?.end ?? end_s, end_s)
    runs.set(`${lane}/${nth}`, { lane, name: program, robot, start, end })
  }
  return [...runs.values()]
}

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
  for (const span of path.moves) {
    const step = stepOf(document, span)
    if (step?.move !== 'sync') continue
    const { lane, start_s: time } = span
    const nth = passed.get(`${lane}/${step.mark}`) ?? 0
    passed.set(`${lane}/${step.mark}`, nth + 1)
    const key = `${step.mark}/${nth}`
    const { at, lanes } = meetings.get(key) ?? { at: 0, lanes: [] }
    const all = [...lanes, { lane, time }]
    meetings.set(key, { mark: step.mark, at: Math.max(at, time), lanes: all })
  }
  return [...meetings.values()]
}

/** Where parts are taken and released. */
export function handsOf({ path, document }: Cell) {
  return path.moves.flatMap((span) => {
    const step = stepOf(document, span)
    if (step?.move !== 'take' && step?.move !== 'release') return []
    return [{ lane: span.lane, at: span.start_s, takes: step.move === 'take', item: step.item }]
  })
}
