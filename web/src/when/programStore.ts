import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useNotices } from '../cell/noticesStore'
import { useWhat } from '../what/whatStore'
import { useJog } from './jogStore'

export type Program = Schemas['ProgramDocument']
export type Step = Schemas['MoveDocument']
export type Target = Schemas['TargetDocument']
type Change = Schemas['ProgramChange']

/** What a move that is added goes by, until it is told otherwise. */
const SPEED_PERCENT = 50
const SPEED_MM_S = 250
const WAIT_S = 1

/** A name that is free: the stem with the first number that nobody has. */
const free = (stem: string, taken: Iterable<string>) => {
  const all = new Set(taken)
  let n = 1
  while (all.has(`${stem}${n}`)) n++
  return `${stem}${n}`
}

/** What robots run: their programs, move by move. */
export const usePrograms = defineStore('programs', () => {
  const cell = useCell()
  const moment = useMoment()
  const notices = useNotices()
  const jog = useJog()
  const what = useWhat()

  const open = ref(false)
  const chosen = ref<string | null>(null)
  /** The moves that are selected: the first, and how many. */
  const at = ref(0)
  const count = ref(0)
  /** In which item's frame new targets stand; the world's if none. */
  const frame = ref<string | null>(null)

  const all = computed(() => cell.cell?.document.programs ?? [])
  const lanes = computed(() => cell.cell?.document.run_plan?.lanes ?? [])
  const program = computed(() => all.value.find((p) => p.id === chosen.value) ?? all.value[0])
  const moves = computed(() => program.value?.moves ?? [])
  const targets = computed(() => new Map((program.value?.targets ?? []).map((t) => [t.id, t])))
  /** Where the program runs. */
  const place = computed(() => {
    const lane = lanes.value.findIndex((l) => l.programs.includes(program.value?.id ?? ''))
    return lane < 0 ? null : { lane, nth: lanes.value[lane]!.programs.indexOf(program.value!.id) }
  })
  const isHere = (m: { lane: number; nth: number }) =>
    m.lane === place.value?.lane && m.nth === place.value.nth
  /** When each of its moves begins, s. */
  const starts = computed(() => {
    const run = (cell.cell?.path.runs ?? []).find(isHere)
    const span = (start_s: number, index: number) => ({ start_s, end_s: run!.ends_s[index]! })
    return new Map((run?.starts_s ?? []).map((start, index) => [index, span(start, index)]))
  })
  const fault = computed(() => (cell.cell?.path.faults ?? []).find(isHere) ?? null)

  watch(program, (now, before) => {
    if (now?.id !== before?.id) {
      select(0, 0)
      via.value = null
    } else select(Math.min(at.value, moves.value.length), count.value)
  })
  function select(first: number, many = 1) {
    at.value = first
    count.value = Math.max(0, Math.min(many, moves.value.length - first))
  }
  /** The one move that is selected. */
  const one = computed(() => (count.value === 1 ? moves.value[at.value] : undefined))

  const change = (change: Change) =>
    cell.edit({ edit: 'change_program', program: program.value!.id, change })
  /** Puts moves in behind what is selected, and selects them. */
  async function insert(steps: Step[], added: Target[] = []) {
    const behind = count.value ? at.value + count.value : moves.value.length
    if (await change({ insert: { at: behind, moves: steps, targets: added } }))
      select(behind, steps.length)
  }

  /** Where the mechanism of the program is now, by hand or on the path. */
  async function here() {
    const { robot, tcp } = program.value!
    const request = { params: { path: { id: cell.cell!.id } } }
    return answer(
      api.POST('/api/cells/{id}/jog', {
        ...request,
        body: {
          time_s: moment.time,
          joints_deg_or_mm: jog.open && jog.item === robot ? jog.tried : {},
          tcp,
          frame: frame.value ? { item: frame.value } : 'world',
        },
      }),
    )
  }
  /** Adds a move to where the robot is now. */
  async function addHere(kind: 'joint' | 'linear') {
    try {
      const now = await here()
      const also_deg_or_mm = {}
      if (!now.tcp) {
        const { robot } = program.value!
        const own = cell.cell!.joints.filter((j) => j.item === robot)
        const joints = own.map((j) => jog.tried[j.key] ?? now.joints_deg_or_mm[j.key] ?? j.rest)
        const step = { move: 'joint' as const, joints_deg_or_mm: joints, also_deg_or_mm }
        return await insert([{ ...step, speed_percent: SPEED_PERCENT }])
      }
      const id = free('T', targets.value.keys())
      const posture = now.tcp.postures.find((p) => p.now)?.posture ?? null
      const step: Step =
        kind === 'joint'
          ? { move: 'joint', to: id, speed_percent: SPEED_PERCENT, posture, also_deg_or_mm }
          : { move: 'linear', to: id, speed_mm_s: SPEED_MM_S, also_deg_or_mm }
      await insert([step], [{ id, frame: frame.value, pose: now.tcp.pose }])
    } catch (e) {
      notices.say(e)
    }
  }
  /** Where a circular move that is being made goes over. */
  const via = ref<Target | null>(null)
  /** Takes where the TCP is as the point a circle goes over, and the next time as its end. */
  async function addCircular() {
    try {
      const now = await here()
      if (!now.tcp) return
      const taken = [...targets.value.keys(), ...(via.value ? [via.value.id] : [])]
      const target = { id: free('T', taken), frame: frame.value, pose: now.tcp.pose }
      if (!via.value) return (via.value = target)
      const step = { move: 'circular' as const, via: via.value.id, to: target.id }
      await insert([{ ...step, speed_mm_s: SPEED_MM_S }], [via.value, target])
      via.value = null
    } catch (e) {
      notices.say(e)
    }
  }
  /** Puts a joint move before the recording that begins elsewhere. */
  function goThereFirst() {
    return cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, program: program.value!.id, at: fault.value!.index }
      return answer(api.POST('/api/cells/{id}/lead-in', { params: { path: { id } }, body }))
    })
  }
  /** The moves up to where one is added. */
  const before = () => moves.value.slice(0, count.value ? at.value + count.value : undefined)
  /** Takes a part: the one that is selected in the roster, or the first there is. */
  function addTake() {
    const item = chosenItem() ?? [...cell.items.values()].find((i) => i.role === 'part')?.id
    if (!item) return notices.say('Select in the roster what is to be taken.')
    return insert([{ move: 'take', item, touching_moves: 1 }])
  }
  /** Releases what was taken last, onto what is selected in the roster. */
  function addRelease() {
    const taken = before().findLast((step) => step.move === 'take')
    if (!taken) return notices.say('Nothing is taken before: add a take first.')
    const onto = chosenItem()
    const on = onto && onto !== taken.item ? { onto } : {}
    return insert([{ move: 'release', item: taken.item, ...on, touching_moves: 1 }])
  }
  const chosenItem = () => (what.selected.size === 1 ? [...what.selected][0] : undefined)
  /** Adds the targets of a CSV file, with moves to them. */
  function bringTargets(file: string, text: string) {
    return cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, program: program.value!.id, file, text }
      return answer(api.POST('/api/cells/{id}/targets', { params: { path: { id } }, body }))
    })
  }
  const addWait = () => insert([{ move: 'wait', seconds: WAIT_S }])
  const addSync = (mark: string) => insert([{ move: 'sync', mark }])
  /** Takes a target to where the TCP is now. */
  async function teach(target: Target) {
    try {
      const now = await here()
      const pose = now.tcp?.pose
      if (pose) await change({ target: { ...target, frame: frame.value, pose } })
    } catch (e) {
      notices.say(e)
    }
  }

  /** Joint and linear moves to a target are each other's other kind. */
  function otherKind() {
    const step = one.value
    if (step?.move === 'linear') {
      const { to, also_deg_or_mm } = step
      return replace({ move: 'joint', to, speed_percent: SPEED_PERCENT, also_deg_or_mm })
    }
    if (step?.move !== 'joint' || !step.to) return
    const { to, also_deg_or_mm } = step
    return replace({ move: 'linear', to, speed_mm_s: SPEED_MM_S, also_deg_or_mm })
  }
  const replace = (step: Step) => change({ replace: { at: at.value, step } })
  async function remove() {
    if (!count.value) return
    const first = at.value
    if (await change({ remove: { from: first, count: count.value } }))
      select(Math.min(first, moves.value.length - 1), 1)
  }
  const duplicate = () => insert(moves.value.slice(at.value, at.value + count.value))
  async function shift(by: number) {
    const to = at.value + by
    if (!count.value || to < 0 || to + count.value > moves.value.length) return
    const many = count.value
    if (await change({ shift: { from: at.value, count: many, to } })) select(to, many)
  }

  function begin(robot: string, name: string) {
    const id = free(
      'program-',
      all.value.map((p) => p.id),
    )
    const carried = cell.family(robot).map((i) => cell.items.get(i)!)
    const tcp = carried.find((i) => i.frame_kind === 'tcp')?.id ?? null
    const program = { id, name, robot, tcp, targets: [], moves: [] }
    chosen.value = id
    return cell.edit({ edit: 'save_program', program })
  }
  const rename = (name: string) => change({ name })
  const takeTcp = (tcp: string | null) => change({ tcp })
  const drop = () => cell.edit({ edit: 'delete_program', program: program.value!.id })
  /** When the lane of the program begins. */
  function startAt(start_s: number) {
    const now = lanes.value.map((l, i) => (i === place.value?.lane ? { ...l, start_s } : l))
    return cell.edit({ edit: 'set_run_plan', run_plan: { lanes: now } })
  }
  function toggle() {
    open.value = !open.value
  }

  return {
    open,
    chosen,
    at,
    count,
    frame,
    all,
    lanes,
    program,
    moves,
    targets,
    place,
    starts,
    fault,
    one,
    select,
    change,
    addHere,
    via,
    addCircular,
    addTake,
    addRelease,
    bringTargets,
    goThereFirst,
    addWait,
    addSync,
    teach,
    replace,
    otherKind,
    remove,
    duplicate,
    shift,
    begin,
    rename,
    takeTcp,
    drop,
    startAt,
    toggle,
  }
})
