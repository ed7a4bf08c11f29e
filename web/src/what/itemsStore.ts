import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas, type Vec3 } from '../api/client'
import { useCell } from '../cells/cellStore'
import { useWhen } from '../when/whenStore'
import { useWhat } from './whatStore'

export type Arrange = Schemas['Arrange']
export type FrameChoice = Schemas['FrameChoice']
export const roles = ['robot', 'tool', 'fixture', 'part', 'structure', 'frame', 'group'] as const

/** Changing what is in the cell. */
export const useItems = defineStore('items', () => {
  const cell = useCell()
  const what = useWhat()
  const when = useWhen()

  /** In which frame numbers are read and typed, and which way handles point. */
  const frame = ref<FrameChoice>('parent')
  /** Handles on the selection: none, to move or to turn. */
  const handles = ref<'move' | 'turn' | null>(null)
  /** Whether the camera goes along with what is dragged. */
  const carry = ref(false)
  /** What would go with items that are asked to be deleted. */
  const doomed = ref<{ ids: string[]; gone: Schemas['Consequences'] } | null>(null)
  /** Items about to hang on something else: which pose stays is asked. */
  const hanging = ref<{ ids: string[]; parent: string | null; link: string | null } | null>(null)
  /** A place of the items that waits for the place it goes to. */
  const snapping = ref<{ kind: 'point' | 'face'; from?: { at: number[]; normal: number[] } } | null>(null)

  /** How far the handles have taken the selection since the drag began. */
  const dragged = ref<{ by_mm: Vec3; turn_deg: number } | null>(null)

  const chosen = computed(() => [...what.selected].flatMap((id) => cell.items.get(id) ?? []))
  const one = computed(() => (chosen.value.length === 1 ? chosen.value[0]! : null))
  const locked = computed(() => chosen.value.find((i) => i.locked))

  // ---- what is known of the selection
  const facts = shallowRef<Schemas['ItemFacts'][]>([])
  const problem = ref('')
  /** More than this are not asked about one by one. */
  const MOST = 200
  let asked = 0
  watch([() => what.selected, () => cell.cell?.revision, () => when.shownTime, frame], async () => {
    const mine = ++asked
    const ids = [...what.selected]
    if (!ids.length || ids.length > MOST || !cell.cell) {
      facts.value = []
      return
    }
    try {
      const body = { items: ids, frame: frame.value, time_s: when.shownTime }
      const now = await answer(api.POST('/api/cells/{id}/facts', { params: { path: { id: cell.cell.id } }, body }))
      if (mine === asked) [facts.value, problem.value] = [now, '']
    } catch (e) {
      if (mine === asked) problem.value = (e as Error).message
    }
  })
  /** Where handles on the selection stand, along the axes of the chosen frame, and what goes along with them. */
  const grip = computed(() => {
    const open = cell.cell
    const [first] = facts.value
    if (!open || !first || locked.value || !what.selected.has(first.item)) return null
    const family = new Set([...what.selected].flatMap((id) => cell.family(id)))
    const nodes = new Set(open.document.items.flatMap((item, i) => (family.has(item.id) ? open.item_nodes[i]! : [])))
    for (const body of open.bodies) if (family.has(body.item)) nodes.add(body.node)
    const at = [...first.world.slice(0, 3), ...first.axes.slice(3)]
    return { at, nodes: [...nodes] }
  })

  /** Selects what was not there before. */
  async function selectingNew(change: () => Promise<boolean>) {
    const before = new Set(cell.items.keys())
    if (!(await change())) return
    const added = [...cell.items.values()].filter((i) => !before.has(i.id))
    what.selected = new Set(added.filter((i) => before.has(i.parent ?? '') || !i.parent).map((i) => i.id))
  }

  function arrange(how: Arrange, ids: string[] = [...what.selected]) {
    return cell.change(() => {
      const { id, revision } = cell.cell!
      const body = { base_revision: revision, items: ids, time_s: when.time, how }
      return answer(api.POST('/api/cells/{id}/arrange', { params: { path: { id } }, body }))
    })
  }
  const rename = (item: string, name: string) => cell.edit({ edit: 'rename_item', item, name })
  const change = (change: Schemas['ItemChange'], items: string[] = [...what.selected]) => cell.edit({ edit: 'change_items', items, change })
  const duplicate = () => selectingNew(() => cell.edit({ edit: 'duplicate_items', items: [...what.selected] }))
  const group = (name: string) => selectingNew(() => arrange({ group: { name } }))
  async function ungroup() {
    const [id, inside] = [one.value!.id, cell.children.get(one.value!.id) ?? []]
    if (await cell.edit({ edit: 'ungroup', item: id })) what.selected = new Set(inside.map((i) => i.id))
  }
  async function askDelete(ids: string[] = [...what.selected]) {
    if (!ids.length) return
    try {
      const { id } = cell.cell!
      doomed.value = { ids, gone: await answer(api.POST('/api/cells/{id}/consequences', { params: { path: { id } }, body: { items: ids } })) }
    } catch (e) {
      cell.notice = (e as Error).message
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
  /** A frame, or a TCP, at the selection or at the world's origin. */
  async function addFrame(kind: 'frame' | 'tcp', at?: { xyz_mm: number[] }) {
    const carrier = one.value
    const ids = new Set(cell.items.keys())
    let n = 1
    while (ids.has(`${kind}-${n}`)) n++
    const name = kind === 'tcp' ? `TCP ${n}` : `Frame ${n}`
    const pose = { xyz_mm: at?.xyz_mm ?? [0, 0, 0], rpy_deg: [0, 0, 0] }
    const item = { id: `${kind}-${n}`, name, role: 'frame' as const, frame_kind: kind, parent: carrier?.id, pose }
    await selectingNew(() => cell.edit({ edit: 'add_items', items: [item] }))
  }
  const toggleLock = () => change({ locked: !locked.value })

  /** Takes the clicks of a snap: first a place of the selection, then where it goes. */
  async function snapTo(at: number[], normal: number[]) {
    const { kind, from } = snapping.value!
    if (!from) {
      snapping.value = { kind, from: { at, normal } }
      return false
    }
    snapping.value = null
    if (kind === 'point') await arrange({ point_to_point: { from_mm: from.at, to_mm: at } })
    else await arrange({ face_to_face: { from_mm: from.at, from_normal: from.normal, to_mm: at, to_normal: normal } })
    return true
  }

  // ---- visibility sets
  const sets = computed(() => cell.cell?.document.visibility_sets ?? [])
  const saveSet = (name: string, items: string[] = [...what.selected], id: string = crypto.randomUUID()) =>
    cell.edit({ edit: 'save_set', set: { id, name, items } })
  const deleteSet = (id: string) => cell.edit({ edit: 'delete_set', set: id })

  return {
    frame, handles, carry, dragged, facts, problem, grip, doomed, hanging, snapping, chosen, one, locked, sets,
    arrange, rename, change, duplicate, group, ungroup, askDelete, remove, hang, addFrame, toggleLock, snapTo, saveSet, deleteSet,
  }
})
