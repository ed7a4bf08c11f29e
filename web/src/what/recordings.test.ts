import { describe, expect, it } from 'vitest'

import type { Schemas } from '../api/client'
import { choiceOf, guessedChoice } from './recordings'

const recording = (columns: string[]): Schemas['FoundRecording'] => ({
  rows: 10,
  time_column: 1,
  time_unit: 's',
  angle_unit: 'deg',
  length_unit: 'mm',
  columns: columns.map((name) => ({ name, first: 0, low: 0, high: 1 })),
})
const arm = {
  robot: 'arm.urdf',
  name: 'Arm',
  joints: ['joint_1', 'joint_2'].map((name) => ({ name, turns: true })),
}
const track = { robot: 'track', name: 'Track', joints: [{ name: 'slide', turns: false }] }
const columnsOf = (columns: string[], of = arm) =>
  choiceOf(recording(columns), of).joints.map((j) => [j.joint, j.column])

describe('columns of a recording', () => {
  it.each([
    [['t', 'joint_1', 'joint_2']],
    [['time', 'Joint 1', 'Joint 2']],
    [['t', 'JOINT-1 [deg]', 'JOINT-2 [deg]']],
    [['t', 'a', 'b']],
    [['column 1', 'column 2', 'column 3']],
  ])('%j are the joints in order or by name', (columns) => {
    expect(columnsOf(columns)).toEqual([
      ['joint_1', 2],
      ['joint_2', 3],
    ])
  })

  it('follow their names, not their order', () => {
    expect(columnsOf(['t', 'joint_2', 'torque', 'joint_1'])).toEqual([
      ['joint_1', 4],
      ['joint_2', 2],
    ])
  })

  it('that are not there are left out', () => {
    expect(columnsOf(['t', 'joint_2'])).toEqual([['joint_2', 2]])
    expect(columnsOf(['t'])).toEqual([])
  })

  it('move the mechanism whose joints they name, or are as many as', () => {
    const guess = (columns: string[]) => guessedChoice(recording(columns), [arm, track])
    expect(guess(['t', 'slide'])).toEqual({
      robot: 'track',
      time_column: 1,
      time_unit: 's',
      joints: [{ joint: 'slide', column: 2, unit: 'mm' }],
    })
    expect(guess(['t', 'a', 'b'])!.robot).toBe('arm.urdf')
    expect(guess(['t', 'a', 'b'])!.joints[0]!.unit).toBe('deg')
    expect(guessedChoice(recording(['t', 'a']), [])).toBeNull()
  })
})
