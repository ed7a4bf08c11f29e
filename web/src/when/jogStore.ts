import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import type { Schemas } from '../api/client'
import { type JogAnswer, JogSocket, jogUrl } from '../api/jogging'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useNotices } from '../cell/noticesStore'
import { useHeld } from '../what/heldStore'
import type { FrameChoice } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'

type Pose = Required<Schemas['PoseDocument']>
type ReachFor = Schemas['ReachFor']
/** So many of the nearest pairs are told. */
const NEAREST = 3

/** Without the dust of floating point. */
const tidy = (value: number) => Math.round(value * 1e9) / 1e9

/** Joints that are moved by hand: what is tried, which is kept only when asked. */
export const useJog = defineStore('jog', () => {
  const cell = useCell()
  const moment = useMoment()
  const notices = useNotices()
  const what = useWhat()

  const open = ref(false)
  /** The mechanism that is jogged. */
  const item = ref<string | null>(null)
  /** Joint values that were tried, by `item/joint`, degrees or mm. */
  const tried = ref<Record<string, number>>({})
  const answer = shallowRef<JogAnswer | null>(null)
  const refused = ref('')
  /** In which frame the TCP is told. */
  const frame = ref<FrameChoice>('world')
  const chosenTcp = ref<string | null>(null)
  /** Whether the TCP has handles in the picture. */
  const handles = useHeld().modeOf('tcp')

  /** Mechanisms that can be jogged. */
  const mechanisms = computed(() => {
    const ids = new Set((cell.cell?.joints ?? []).map((joint) => joint.item))
    return [...ids].map((id) => cell.items.get(id)!).filter(Boolean)
  })
  const joints = computed(() => (cell.cell?.joints ?? []).filter((j) => j.item === item.value))
  const postures = computed(() => cell.items.get(item.value ?? '')?.mechanism?.postures ?? [])
  /** Frames that hang on it and can be taken somewhere. */
  const tcps = computed(() => {
    if (!item.value) return []
    const carried = cell.family(item.value).map((id) => cell.items.get(id)!)
    const marks = carried.filter((i) => i.role === 'frame' && i.id !== item.value)
    const isTcp = (i: (typeof marks)[number]) => (i.frame_kind === 'tcp' ? 0 : 1)
    return marks.sort((a, b) => isTcp(a) - isTcp(b))
  })
  const tcp = computed(() => {
    const chosen = tcps.value.find((t) => t.id === chosenTcp.value)
    return (chosen ?? tcps.value[0])?.id ?? null
  })
  const active = computed(() => Object.keys(tried.value).length > 0)
  /** Where a joint is now. */
  const valueOf = (key: string) =>
    tried.value[key] ?? answer.value?.joints_deg_or_mm[key] ?? restOf(key)
  const restOf = (key: string) => cell.cell?.joints.find((j) => j.key === key)?.rest ?? 0

  let socket: { cell: string; of: JogSocket } | null = null
  function ask(reach: ReachFor | null = null) {
    const id = cell.cell?.id
    if (!id) return
    if (socket?.cell !== id) {
      socket?.of.close()
      socket = { cell: id, of: new JogSocket(jogUrl(id), heard, said) }
    }
    socket.of.ask({
      time_s: moment.time,
      joints_deg_or_mm: tried.value,
      reach,
      tcp: tcp.value,
      frame: frame.value,
      nearest: active.value || reach ? NEAREST : 0,
    })
  }
  function heard(now: JogAnswer, last: boolean) {
    refused.value = ''
    if (!open.value) return
    answer.value = now
    if (!last || !(active.value || now.nodes.length)) return
    // What the TCP asked for is tried from here on; a joint that stopped is where it stopped.
    const own = joints.value.filter((j) => j.key in now.joints_deg_or_mm)
    tried.value = Object.fromEntries(own.map((j) => [j.key, tidy(now.joints_deg_or_mm[j.key]!)]))
  }
  function said(detail: string) {
    refused.value = detail
  }

  function begin(id: string) {
    if (item.value !== id) {
      reset()
      frame.value = frameFor(id)
    }
    item.value = id
    open.value = true
    ask()
  }
  /** In what its TCP is told: its base for another's base, else the same unless it goes with it. */
  function frameFor(id: string): FrameChoice {
    if (typeof frame.value === 'string') return frame.value
    if (frame.value.item === item.value) return { item: id }
    return cell.family(id).includes(frame.value.item) ? 'world' : frame.value
  }
  /** Opens the panel on the mechanism that is selected, or carries what is; closes it again. */
  function toggle() {
    if (open.value) return close()
    const able = new Set(mechanisms.value.map((m) => m.id))
    let at: string | null | undefined = [...what.selected][0]
    while (at && !able.has(at)) at = cell.items.get(at)?.parent
    const id = at ?? mechanisms.value[0]?.id
    if (id) begin(id)
    else notices.say('There is nothing to jog: bring a robot in, or make a mechanism.')
  }
  function close() {
    reset()
    open.value = false
    answer.value = null
    handles.value = null
  }
  /** Everything where it is without the hand. */
  function reset() {
    tried.value = {}
    answer.value = null
    if (open.value) ask()
  }
  function set(key: string, value: number) {
    const all = joints.value.map((j) => [j.key, valueOf(j.key)] as const)
    tried.value = { ...Object.fromEntries(all), [key]: value }
    ask()
  }
  function take(values: Record<string, number>) {
    const all = joints.value.map((j) => [j.key, valueOf(j.key)] as const)
    tried.value = { ...Object.fromEntries(all), ...values }
    ask()
  }
  function reachFor(place: Schemas['ReachPlace']) {
    if (item.value && tcp.value) ask({ robot: item.value, tcp: tcp.value, place })
  }
  /** Takes the TCP to a pose in the frame in which it is told. */
  const reach = (pose: Pose) => reachFor({ frame: { frame: frame.value, pose } })
  /** Takes it to a pose in the world: x, y, z (m), quaternion x, y, z, w. */
  const reachInWorld = (world: number[]) => reachFor({ world })
  const named = (values: Record<string, number>) =>
    Object.fromEntries(Object.entries(values).map(([key, v]) => [key.split('/').at(-1)!, v]))
  async function keepAsRest() {
    const change = { rest: named(tried.value) }
    if (await cell.edit({ edit: 'change_mechanism', item: item.value!, change })) reset()
  }
  function keepPosture(name: string) {
    const now = Object.fromEntries(joints.value.map((j) => [j.name, valueOf(j.key)]))
    const change = { keep_posture: { name, joints_deg_or_mm: now } }
    return cell.edit({ edit: 'change_mechanism', item: item.value!, change })
  }
  const dropPosture = (name: string) =>
    cell.edit({ edit: 'change_mechanism', item: item.value!, change: { drop_posture: name } })
  function goToPosture(name: string) {
    const posture = postures.value.find((p) => p.name === name)
    if (!posture) return
    const values = Object.entries(posture.joints_deg_or_mm)
    take(Object.fromEntries(values.map(([joint, v]) => [`${item.value}/${joint}`, v])))
  }

  // Another state of the cell, another instant, another frame: asked anew.
  watch([() => cell.cell?.revision, () => moment.time, frame, tcp], () => {
    if (open.value && !moment.playing) ask()
  })
  watch(
    () => moment.playing,
    (playing) => playing && reset(),
  )
  // What goes with the mechanism goes with it.
  watch(
    () => cell.items.has(item.value ?? ''),
    (there) => !there && open.value && close(),
  )

  return {
    open,
    item,
    tried,
    answer,
    refused,
    frame,
    chosenTcp,
    handles,
    mechanisms,
    joints,
    postures,
    tcps,
    tcp,
    active,
    valueOf,
    begin,
    toggle,
    close,
    reset,
    set,
    take,
    reach,
    reachInWorld,
    keepAsRest,
    keepPosture,
    dropPosture,
    goToPosture,
  }
})
