import { nextTick } from 'vue'
import { beforeEach, describe, expect, it } from 'vitest'

import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { moveSaid } from './moveSaid'
import { type Program, type Step, usePrograms } from './programStore'

const wait = (seconds: number): Step => ({ move: 'wait', seconds })
const pose = { xyz_mm: [1, 2, 3], rpy_deg: [0, 0, 90] }
const seals = (tcp: string | null = 'tcp'): Program => ({
  id: 'seal',
  name: 'Seal',
  robot: 'arm',
  tcp,
  targets: [{ id: 'T1', pose }],
  moves: [wait(1), wait(2), wait(3)],
})
function begun(program = seals()) {
  openCell([
    { id: 'arm', name: 'Arm', role: 'robot' },
    { id: 'tcp', name: 'TCP', role: 'frame', parent: 'arm' },
  ])
  const { cell } = useCell()
  Object.assign(cell!.document, {
    programs: [program],
    run_plan: { lanes: [{ programs: ['other'] }, { programs: ['seal'] }] },
  })
  Object.assign(cell!, {
    joints: [
      { key: 'arm/q1', item: 'arm', rest: 5 },
      { key: 'arm/q2', item: 'arm', rest: 6 },
    ],
    path: {
      duration_s: 9,
      runs: [
        { lane: 0, nth: 0, starts_s: [7], ends_s: [9] },
        { lane: 1, nth: 0, starts_s: [0, 1.5], ends_s: [1.5, 2] },
      ],
      faults: [{ lane: 1, nth: 0, index: 2, reason: 'out of reach by 3.0 mm' }],
    },
  })
  begin({
    'POST /api/cells/{id}/edits': () => ({ ...cell, revision: cell!.revision + 1 }),
    'POST /api/cells/{id}/targets': () => ({ ...cell, revision: cell!.revision + 1 }),
    'POST /api/cells/{id}/lead-in': () => ({ ...cell, revision: cell!.revision + 1 }),
    'POST /api/cells/{id}/jog': () => ({
      joints_deg_or_mm: { 'arm/q1': 11 },
      tcp: program.tcp ? { pose, postures: [{ now: true, posture: { front: true } }] } : null,
    }),
  })
  return usePrograms()
}
const edits = () =>
  asked
    .filter((a) => a.what.endsWith('/edits'))
    .map((a) => (a.body as { edit: Record<string, unknown> }).edit)

beforeEach(() => freshStores())

describe('programs', () => {
  it('say when their moves begin and which can’t be driven', () => {
    const programs = begun()
    expect(programs.starts.get(1)!.start_s).toBe(1.5)
    expect(programs.starts.has(2)).toBe(false)
    expect(programs.fault).toMatchObject({ index: 2, reason: 'out of reach by 3.0 mm' })
  })

  it('take targets from where the TCP is, behind what is selected', async () => {
    const programs = begun()
    programs.select(0)
    programs.frame = 'arm'
    await programs.addHere('linear')
    const [edit] = edits()
    expect(edit).toMatchObject({
      edit: 'change_program',
      program: 'seal',
      change: {
        insert: {
          at: 1,
          moves: [{ move: 'linear', to: 'T2', speed_mm_s: 250 }],
          targets: [{ id: 'T2', frame: 'arm', pose }],
        },
      },
    })
    expect(asked[0]!.body).toMatchObject({ tcp: 'tcp', frame: { item: 'arm' } })
    await programs.addHere('joint')
    expect(edits()[1]).toMatchObject({
      change: { insert: { moves: [{ move: 'joint', posture: { front: true } }] } },
    })
  })

  it('go by joint values where there is no TCP', async () => {
    const programs = begun(seals(null))
    await programs.addHere('joint')
    expect(edits()[0]).toMatchObject({
      change: { insert: { at: 3, moves: [{ joints_deg_or_mm: [11, 6] }], targets: [] } },
    })
  })

  it('are reordered, doubled and thinned, and go no farther than they can', async () => {
    const programs = begun()
    programs.select(1, 2)
    await programs.shift(1)
    await programs.shift(-1)
    await programs.duplicate()
    programs.select(0, 2)
    await programs.remove()
    expect(edits().map((e) => e.change)).toEqual([
      { shift: { from: 1, count: 2, to: 0 } },
      { insert: { at: 2, moves: [wait(1), wait(2)], targets: [] } },
      { remove: { from: 0, count: 2 } },
    ])
  })

  it('go in a circle over one point to another, each taken where the TCP is', async () => {
    const programs = begun()
    await programs.addCircular()
    expect([edits(), programs.via?.id]).toEqual([[], 'T2'])
    await programs.addCircular()
    const move = { move: 'circular', via: 'T2', to: 'T3', speed_mm_s: 250 }
    expect(edits()[0]).toMatchObject({ change: { insert: { moves: [move] } } })
    expect(programs.via).toBe(null)
    // What was begun in one program does not end in another.
    await programs.addCircular()
    useCell().cell!.document.programs!.push({ ...seals(), id: 'other' })
    programs.chosen = 'other'
    await nextTick()
    expect(programs.via).toBe(null)
  })

  it('take what is selected and release what was taken last onto what is selected', async () => {
    const programs = begun()
    const what = useWhat()
    await programs.addRelease()
    expect([edits(), useNotices().said]).toEqual([[], expect.stringContaining('take')])
    what.selected = new Set(['arm'])
    await programs.addTake()
    expect(edits()[0]).toMatchObject({
      change: { insert: { at: 3, moves: [{ move: 'take', item: 'arm' }] } },
    })
    programs.program!.moves.push({ move: 'take', item: 'ring' })
    await programs.addRelease()
    const release = { move: 'release', item: 'ring', onto: 'arm', touching_moves: 1 }
    expect(edits()[1]).toMatchObject({ change: { insert: { moves: [release] } } })
  })

  it('take the targets of a file', async () => {
    const programs = begun()
    await programs.bringTargets('poses.csv', 'x,y,z')
    const body = { base_revision: 1, program: 'seal', file: 'poses.csv', text: 'x,y,z' }
    expect(asked.at(-1)).toMatchObject({ what: 'POST /api/cells/{id}/targets', body })
  })

  it('go first to where a recording begins, before the move that can’t be driven', async () => {
    const programs = begun()
    await programs.goThereFirst()
    const body = { base_revision: 1, program: 'seal', at: 2 }
    expect(asked.at(-1)).toMatchObject({ what: 'POST /api/cells/{id}/lead-in', body })
  })

  it('begin with the TCP that their mechanism carries, and start when they are told', async () => {
    const programs = begun()
    await programs.startAt(2.5)
    await programs.begin('arm', 'Purge')
    expect(edits()[0]).toEqual({
      edit: 'set_run_plan',
      run_plan: { lanes: [{ programs: ['other'] }, { programs: ['seal'], start_s: 2.5 }] },
    })
    expect(edits()[1]).toMatchObject({
      edit: 'save_program',
      program: { id: 'program-1', name: 'Purge', robot: 'arm', moves: [] },
    })
  })
})

describe('a move in words', () => {
  it.each<[Step, string]>([
    [{ move: 'joint', to: 'A', speed_percent: 1, also_deg_or_mm: {} }, 'joint to A'],
    [{ move: 'joint', joints_deg_or_mm: [1], speed_percent: 1 }, 'joint to values'],
    [{ move: 'linear', to: 'B', speed_mm_s: 1 }, 'linear to B'],
    [{ move: 'circular', via: 'V', to: 'B', speed_mm_s: 1 }, 'circular over V to B'],
    [wait(1.5), 'wait 1.5 s'],
    [{ move: 'sync', mark: 'both' }, 'sync mark both'],
    [{ move: 'take', item: 'ring' }, 'take ring'],
    [{ move: 'release', item: 'ring', onto: 'press' }, 'release ring onto press'],
    [{ move: 'recorded', file: 'brought/1/run.csv', joints: [] } as never, 'recording run.csv'],
  ])('%j', (step, said) => expect(moveSaid(step)).toBe(said))
})
