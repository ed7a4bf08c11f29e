import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'

import type { Cell } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useNotices } from '../cell/noticesStore'
import { freshStores } from '../testing/freshStores'
import { openCell } from '../testing/openCell'
import { asked, begin } from '../testing/standIn'
import { useWhat } from '../what/whatStore'
import { useJog } from './jogStore'

/** A socket that tests answer by hand. */
class Line {
  static OPEN = 1
  static all: Line[] = []
  readyState = 0
  sent: Record<string, unknown>[] = []
  onopen = () => undefined as unknown
  onclose = () => undefined as unknown
  onmessage: (said: { data: string }) => unknown = () => undefined
  constructor(readonly url: string) {
    Line.all.push(this)
  }
  send(text: string) {
    this.sent.push(JSON.parse(text))
  }
  close() {
    this.readyState = 3
    this.onclose()
  }
  open() {
    this.readyState = 1
    this.onopen()
  }
  say(answer: Record<string, unknown>) {
    this.onmessage({ data: JSON.stringify(answer) })
  }
}
const answer = (joints: Record<string, number>, more = {}) => ({
  joints_deg_or_mm: joints,
  nodes: [1],
  poses: [[0, 0, 0, 0, 0, 0, 1]],
  tcp: null,
  stopped: null,
  nearest: [],
  ...more,
})
const joint = (key: string, rest = 0) => ({
  key,
  item: key.split('/')[0],
  name: key.split('/')[1],
  turns: true,
  low: -90,
  high: 90,
  rest,
})

beforeEach(() => {
  freshStores()
  Line.all = []
  vi.stubGlobal('WebSocket', Line)
  vi.stubGlobal('location', { protocol: 'http:', host: 'selvik' })
  openCell(
    [
      { id: 'arm', name: 'Arm', role: 'robot' },
      { id: 'tool', name: 'Tool', role: 'tool', parent: 'arm' },
      { id: 'post', name: 'Post' },
    ],
    'c',
    { joints: [joint('arm/q1', 10), joint('arm/q2')] as never },
  )
})
function jogging() {
  const jog = useJog()
  jog.begin('arm')
  const [line] = Line.all
  line!.open()
  line!.say(answer({ 'arm/q1': 10, 'arm/q2': 0 }, { nodes: [], poses: [] }))
  return { jog, line: line! }
}

describe('jogging', () => {
  it('opens on what is selected or on what carries it', () => {
    useWhat().selected = new Set(['tool'])
    const jog = useJog()
    jog.toggle()
    expect([jog.open, jog.item]).toEqual([true, 'arm'])
    expect(Line.all[0]!.url).toBe('ws://selvik/api/cells/c/jogging')
    jog.toggle()
    expect(jog.open).toBe(false)
  })

  it('says so where nothing can be jogged', () => {
    useCell().cell = { ...useCell().cell, joints: [] } as unknown as Cell
    useJog().toggle()
    expect(useNotices().said).toContain('nothing to jog')
  })

  it('asks as fast as it is answered, and then only for the last', () => {
    const { jog, line } = jogging()
    for (const value of [20, 30, 40]) jog.set('arm/q1', value)
    expect(line.sent.length).toBe(2)
    expect(jog.valueOf('arm/q1')).toBe(40)
    line.say(answer({ 'arm/q1': 20, 'arm/q2': 0 }))
    // The slider does not jump back to what was asked before.
    expect(jog.valueOf('arm/q1')).toBe(40)
    expect(line.sent.at(-1)!.joints_deg_or_mm).toEqual({ 'arm/q1': 40, 'arm/q2': 0 })
    line.say(answer({ 'arm/q1': 40, 'arm/q2': 0 }))
    expect(line.sent.length).toBe(3)
  })

  it('stops where the answer says, and shows why', () => {
    const { jog, line } = jogging()
    jog.set('arm/q1', 400)
    line.say(answer({ 'arm/q1': 90, 'arm/q2': 0 }, { stopped: 'joint q1 would be beyond' }))
    expect(jog.valueOf('arm/q1')).toBe(90)
    expect(jog.answer!.stopped).toContain('q1')
    line.say({ detail: 'there is no item "x"' })
    expect(jog.refused).toBe('there is no item "x"')
  })

  it('tells the TCP of another mechanism in a frame that suits it', () => {
    const { jog } = jogging()
    jog.frame = { item: 'arm' }
    jog.begin('post')
    expect(jog.frame).toEqual({ item: 'post' })
    jog.frame = { item: 'tool' }
    jog.begin('arm')
    expect(jog.frame).toBe('world')
    jog.frame = 'own'
    jog.begin('post')
    expect(jog.frame).toBe('own')
  })

  it('is tried only until it is kept, and gone when one plays', async () => {
    const { jog, line } = jogging()
    jog.set('arm/q2', 5)
    line.say(answer({ 'arm/q1': 10, 'arm/q2': 5 }))
    expect(jog.active).toBe(true)
    begin({ 'POST /api/cells/{id}/edits': () => ({ ...useCell().cell, revision: 2 }) })
    await jog.keepAsRest()
    const edit = { edit: 'change_mechanism', item: 'arm', change: { rest: { q1: 10, q2: 5 } } }
    expect(asked.map((a) => (a.body as { edit: unknown }).edit)).toEqual([edit])
    expect(jog.active).toBe(false)
    jog.set('arm/q2', 7)
    useMoment().playing = true
    await nextTick()
    expect([jog.active, jog.answer]).toEqual([false, null])
  })

  it('asks again when the line was cut', () => {
    vi.useFakeTimers()
    const { jog, line } = jogging()
    line.close()
    jog.set('arm/q1', 33)
    const [, second] = Line.all
    second!.open()
    expect(second!.sent[0]!.joints_deg_or_mm).toMatchObject({ 'arm/q1': 33 })
    vi.useRealTimers()
  })

  it('keeps postures by name and goes to them', async () => {
    const { jog, line } = jogging()
    begin({ 'POST /api/cells/{id}/edits': () => ({ ...useCell().cell, revision: 2 }) })
    await jog.keepPosture('home')
    expect(asked[0]!.body).toMatchObject({
      edit: { change: { keep_posture: { name: 'home', joints_deg_or_mm: { q1: 10, q2: 0 } } } },
    })
    const mechanism = { postures: [{ name: 'home', joints_deg_or_mm: { q1: 1, q2: 2 } }] }
    useCell().cell!.document.items[0]!.mechanism = mechanism as never
    useCell().cell = { ...useCell().cell } as Cell
    await nextTick()
    line.say(answer({ 'arm/q1': 10, 'arm/q2': 0 }, { nodes: [] }))
    jog.goToPosture('home')
    expect(jog.tried).toEqual({ 'arm/q1': 1, 'arm/q2': 2 })
  })
})
