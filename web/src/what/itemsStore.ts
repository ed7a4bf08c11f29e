import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3 } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useMoment } from '../cell/momentStore'
import { useHeld } from './heldStore'
import { useWhat } from './whatStore'
import { useNotices } from '../cell/noticesStore'
import { type PickedFor, pickedFor } from './pickedFor'

export type Arrange = Schemas['Arrange']
export type FrameChoice = Schemas['FrameChoice']
/** What is arranged: items, or a target of a program. */
export type Subject = Schemas['Subject']
/** A picked place: a point (mm), and the face it lies on. */
export interface Place {
  at: Vec3
  normal: Vec3
  item: string
  body?: number
  triangle?: number
}

type FrameKind = 'frame' | 'tcp'
/** Changing what is in the cell. */
export const useItems = defineStore('items', () => {
  const cell = useCell()
  const notices = useNotices()
  const what = useWhat()
  const moment = useMoment()
  const held = useHeld()

  /** In which frame numbers are read and typed, and which way handles point. */
  const frame = ref<FrameChoice>('parent')
  /** Handles on the selection: none, to move or to turn. */
  const handles = held.modeOf('selection')
  /** Whether the camera goes along with what is dragged. */
  const carry = ref(false)
  /** What would go with items that are asked to be deleted. */
  const doomed = ref<{ ids: string[]; gone: Schemas['Consequences'] } | null>(null)
  /** Items about to hang on something else: which pose stays is asked. */
  const hanging = ref<{ ids: string[]; parent: string | null; link: string | null } | null>(null)
  /** Places that are being picked, and what for. */
  const picking = shallowRef<{ for: PickedFor; places: Place[] } | null>(null)
  /** What the selection is turned about, if not its origin (mm). */
  const about = ref<Vec3 | null>(null)

  const chosen = computed(() => [...what.selected].flatMap((id) => cell.items.get(id) ?? []))
  const one = computed(() => (chosen.value.length === 1 ? chosen.value[0]! : null))
  const locked = computed(() => chosen.value.find((i) => i.locked))

  // ---- what is known of the selection
  const facts = shallowRef<Schemas['ItemFacts'][]>([])
  const problem = ref('')
  /** More than this are not asked about one by one. */
  const MOST = 200
  let asked = 0
  watch(
    [() => what.selected, () => cell.cell?.revision, () => moment.shownTime, frame],
    async () => {
      const mine = ++asked
      const ids = [...what.selected]
      if (!ids.length || ids.length > MOST || !cell.cell) {
        facts.value = []
        return
      }
      try {
        const body = { items: ids, frame: frame.value, time_s: moment.shownTime }
        const now = await answer(
          api.POST('/api/cells/{id}/facts', { params: { path: { id: cell.cell.id } }, body }),
        )
        if (mine === asked) [facts.value, problem.value] = [now, '']
      } catch (e) {
        if (mine === asked) problem.value = (e as Error).message
      }
    },
  )
  /** Volumes of the selection, which take a moment; none while they are worked out. */
  const masses = shallowRef<Schemas['ItemMass'][] | null>(null)
  let weighed = 0
  watch([() => what.selected, () => cell.cell?.revision], async () => {
    const mine = ++weighed
    masses.value = null
    const ids = [...what.selected]
    if (!ids.length || ids.length > MOST || !cell.cell) return
    const request = { params: { path: { id: cell.cell.id } }, body: { items: ids } }
    const now = await answer(api.POST('/api/cells/{id}/masses', request)).catch(() => null)
    if (mine === weighed) masses.value = now
  })
  /**
   * Where handles on the selection stand, along the axes of the chosen frame, and what goes along
   * with them.
   */
  const grip = computed(() => {
    const open = cell.cell
    const [first] = facts.value
    if (!open || !first || locked.value || !what.selected.has(first.item)) return null
    const family = new Set([...what.selected].flatMap((id) => cell.family(id)))
    const nodes = new Set(
      open.document.items.flatMap((item, i) => (family.has(item.id) ? open.item_nodes[i]! : [])),
    )
    for (const body of open.bodies) if (family.has(body.item)) nodes.add(body.node)
    const origin =
      about.value && handles.value === 'turn'
        ? about.value.map((x) => x / 1e3)
        : first.world.slice(0, 3)
    const at = [...origin, ...first.axes.slice(3)]
    return { at, nodes: [...nodes] }
  })

  /** Handles on the selection, or none any more. */
  function toggleHandles(mode: 'move' | 'turn') {
    if (locked.value)
      notices.say(`${locked.value.name} is locked and stays where it is. Unlock it to move it.`)
    else handles.value = handles.value === mode ? null : mode
  }

  /** Selects what was not there before. */
  async function selectingNew(change: () => Promise<boolean>) {
    const before = new Set(cell.items.keys())
    if (!(await change())) return
    const added = [...cell.items.values()].filter((i) => !before.has(i.id))
    what.selected = new Set(
      added.filter((i) => before.has(i.parent ?? '') || !i.parent).map((i) => i.id),
    )
  }

  function arrange(how: Arrange, ids: string[] = [...what.selected]) {
    return cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, items: ids, time_s: moment.time, how }
      return answer(api.POST('/api/cells/{id}/arrange', { params: { path: { id } }, body }))
    })
  }
  const rename = (item: string, name: string) => cell.edit({ edit: 'rename_item', item, name })
  const change = (change: Schemas['ItemChange'], items: string[] = [...what.selected]) =>
    cell.edit({ edit: 'change_items', items, change })
  const duplicate = () =>
    selectingNew(() => cell.edit({ edit: 'duplicate_items', items: [...what.selected] }))
  const group = (name: string) => selectingNew(() => arrange({ group: { name } }))
  async function ungroup() {
    const [id, inside] = [one.value!.id, cell.children.get(one.value!.id) ?? []]
    if (await cell.edit({ edit: 'ungroup', item: id }))
      what.selected = new Set(inside.map((i) => i.id))
  }
  async function askDelete(ids: string[] = [...what.selected]) {
    if (!ids.length) return
    try {
      const { id } = cell.cell!
      doomed.value = {
        ids,
        gone: await answer(
          api.POST('/api/cells/{id}/consequences', {
            params: { path: { id } },
            body: { items: ids },
          }),
        ),
      }
    } catch (e) {
      notices.say(e)
    }
  }
  async function remove() {
    const ids = doomed.value!.ids
    doomed.value = null
    await cell.edit({ edit: 'delete_items', items: ids })
  }
  function hang(keep: Schemas['KeptPose']) {
    const { ids, parent, link } = hanging.value!
    hanging.value = null
    return arrange({ hang: { parent, on_link: link, keep } }, ids)
  }
  /**
   * A frame, or a TCP: where what carries it stands, or at a picked place, and it goes with what
   * was picked.
   */
  function addFrame(kind: FrameKind, at: Schemas['FramePlace'] = 'carrier', on?: Place) {
    const link = on?.body === undefined ? null : cell.cell!.bodies[on.body]?.link
    const parent = on ? on.item : (one.value?.id ?? null)
    return selectingNew(() =>
      cell.change(() => {
        const { id, revision } = cell.cell!
        const body = {
          base_revision: revision,
          time_s: moment.time,
          kind,
          parent,
          on_link: link,
          at,
        }
        return answer(api.POST('/api/cells/{id}/frames', { params: { path: { id } }, body }))
      }),
    )
  }
  const toggleLock = () => change({ locked: !locked.value })

  /** The item that gets a joint: what its axis was picked from, if it was. */
  const jointing = shallowRef<{ item: string; picked: Schemas['PickedFace'] | null } | null>(null)
  const askJoint = (picked: Schemas['PickedFace'] | null) =>
    (jointing.value = one.value ? { item: one.value.id, picked } : null)
  function makeJoint(joint: Schemas['NewJoint']) {
    const { item } = jointing.value!
    jointing.value = null
    return cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, time_s: moment.time, item, joint }
      return answer(api.POST('/api/cells/{id}/joints', { params: { path: { id } }, body }))
    })
  }

  /** Whether the table of a robot is asked for. */
  const tabling = ref(false)
  async function addArm(arm: Omit<Schemas['ArmAdded'], 'base_revision'>) {
    const made = await cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, ...arm }
      return answer(api.POST('/api/cells/{id}/arms', { params: { path: { id } }, body }))
    })
    if (made) tabling.value = false
    return made
  }

  /** Takes a picked place; whether that was the last. */
  async function picked(place: Place): Promise<boolean> {
    const { for: what, places } = picking.value!
    const all = [...places, place]
    if (all.length < pickedFor[what].asks.length) {
      picking.value = { for: what, places: all }
      return false
    }
    picking.value = null
    const [a, b, c] = all as [Place, Place, Place]
    const face = (p: Place) => ({ body: p.body!, triangle: p.triangle! })
    switch (what) {
      case 'point-to-point':
        await arrange({ point_to_point: { from_mm: a.at, to_mm: b.at } })
        break
      case 'face-to-face':
        await arrange({
          face_to_face: { from_mm: a.at, from_normal: a.normal, to_mm: b.at, to_normal: b.normal },
        })
        break
      case 'axis-to-axis':
        await arrange({ axis_to_axis: { from: face(a), to: face(b) } })
        break
      case 'about':
        ;[about.value, handles.value] = [a.at, 'turn']
        break
      case 'frame-face':
        await addFrame('frame', { face: { at_mm: a.at, normal: a.normal } }, a)
        break
      case 'frame-axis':
        await addFrame('frame', { round_face: face(a) }, a)
        break
      case 'joint-axis':
        askJoint(face(a))
        break
      case 'frame-points':
        await addFrame('frame', { three_points: [a.at, b.at, c.at] }, a)
    }
    return true
  }
  watch(
    () => what.selected,
    () => (about.value = null),
  )
  /** Numbers, and the coordinates of the pointer, in this frame. */
  function useFrame(item: string | null) {
    frame.value = item ? { item } : 'world'
  }

  // ---- visibility sets
  const sets = computed(() => cell.cell?.document.visibility_sets ?? [])
  const saveSet = (
    name: string,
    items: string[] = [...what.selected],
    id: string = crypto.randomUUID(),
  ) => cell.edit({ edit: 'save_set', set: { id, name, items } })
  const deleteSet = (id: string) => cell.edit({ edit: 'delete_set', set: id })

  return {
    frame,
    handles,
    carry,
    facts,
    masses,
    problem,
    grip,
    doomed,
    hanging,
    picking,
    about,
    chosen,
    one,
    locked,
    sets,
    toggleHandles,
    arrange,
    rename,
    change,
    duplicate,
    group,
    ungroup,
    askDelete,
    remove,
    hang,
    addFrame,
    jointing,
    tabling,
    addArm,
    askJoint,
    makeJoint,
    toggleLock,
    picked,
    useFrame,
    saveSet,
    deleteSet,
  }
})
