/** Which column of a recording is which joint, as far as names or their order tell. */
import type { Schemas } from '../api/client'

type Recording = Schemas['FoundRecording']
export type RecordingChoice = Schemas['RecordingChoice']
type Joint = Schemas['FoundJoint']

/** A mechanism that a recording may move. */
export interface Candidate {
  /** Id of its item, or the file that it comes in. */
  robot: string
  name: string
  joints: Joint[]
}

/** Words that say a unit, not a name. */
const UNITS = new Set(['deg', 'rad', 'mm', 'm', 's', 'ms', 'position', 'pos', 'actual'])
const wordsOf = (name: string) =>
  name
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter((word) => word && !UNITS.has(word))
const plain = (name: string) => wordsOf(name).join('')

/** The column (from 1) that is called like a joint. */
function columnNamed(recording: Recording, joint: string): number | null {
  const wanted = plain(joint)
  const fits = (name: string) => plain(name) === wanted || wordsOf(name).includes(wanted)
  const at = recording.columns.findIndex((column) => fits(column.name))
  return at < 0 ? null : at + 1
}

/** How many joints of a mechanism a recording names. */
const named = (recording: Recording, { joints }: Candidate) =>
  joints.filter((joint) => columnNamed(recording, joint.name)).length

/** What a recording moves: the mechanism most of whose joints it names, or has columns for. */
export function guessedChoice(
  recording: Recording,
  candidates: Candidate[],
): RecordingChoice | null {
  const values = recording.columns.length - 1
  const score = (c: Candidate) => named(recording, c) * 1000 - Math.abs(c.joints.length - values)
  const best = [...candidates].sort((a, b) => score(b) - score(a))[0]
  return best ? choiceOf(recording, best) : null
}

/** The columns of a recording as joints of a mechanism: by name, or in order if no name fits. */
export function choiceOf(recording: Recording, of: Candidate): RecordingChoice {
  const { time_column, time_unit, angle_unit, length_unit } = recording
  const unit = (joint: Joint) => (joint.turns ? angle_unit : length_unit)
  const others = recording.columns.map((_, i) => i + 1).filter((column) => column !== time_column)
  const byName = named(recording, of) > 0
  const columnOf = (joint: Joint, i: number) =>
    byName ? columnNamed(recording, joint.name) : (others[i] ?? null)
  const joints = of.joints.flatMap((joint, i) => {
    const column = columnOf(joint, i)
    return column ? [{ joint: joint.name, column, unit: unit(joint) }] : []
  })
  return { robot: of.robot, time_column, time_unit, joints }
}
