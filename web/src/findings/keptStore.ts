import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Pair, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import { useWhat } from '../what/whatStore'
import { useJog } from '../when/jogStore'
import { useWhen } from '../when/whenStore'
import { useSection } from '../where/sectionStore'
import { useWhere } from '../where/whereStore'
import { useFindings } from './findingsStore'
import { kindNames } from './known'
import { type Pick, useMeasure } from './measureStore'

export type Finding = Schemas['FindingDocument']
type Now = Schemas['KeptFinding']
/** A kept finding beside what it is now. */
export interface Kept {
  finding: Finding
  now: Now | null
}

export const orders = {
  kept: 'as kept',
  name: 'name',
  number: 'number',
  time: 'path time',
} as const
export type Order = keyof typeof orders
export const groupings = {
  none: 'one list',
  item: 'groups by item',
  state: 'groups by state',
  time: 'path, and rest',
} as const
export type Grouping = keyof typeof groupings

/** Measurements with a name: worked out anew with every change of the cell. */
export const useKept = defineStore('kept', () => {
  const cell = useCell()
  const notices = useNotices()
  const measure = useMeasure()
  const findings = useFindings()
  const section = useSection()
  const jog = useJog()
  const what = useWhat()
  const when = useWhen()
  const where = useWhere()

  const now = shallowRef<Map<string, Now>>(new Map())
  /** The one that was gone to last. */
  const at = ref<string | null>(null)
  const filter = ref('')
  const order = ref<Order>('kept')
  const grouping = ref<Grouping>('none')

  const all = computed(() => cell.cell?.document.findings ?? [])
  const list = computed((): Kept[] => {
    const words = filter.value.trim().toLowerCase()
    const said = (f: Finding) =>
      [f.name, f.note ?? '', ...f.picks.map((p) => nameOf(p))].join(' ').toLowerCase()
    const found = all.value.filter((f) => said(f).includes(words))
    const kept = found.map((finding) => ({ finding, now: now.value.get(finding.id) ?? null }))
    const key = sortKeys[order.value]
    return key ? kept.sort((a, b) => compare(key(a), key(b))) : kept
  })
  const nameOf = (pick: Pick) => cell.items.get(pick.on.split('/')[0]!)?.name ?? pick.on

  /** The list in groups with their names; without groups in one that has none. */
  const groups = computed((): { name: string; kept: Kept[] }[] => {
    const named = new Map<string, Kept[]>()
    for (const kept of list.value) {
      const name = groupOf(kept)
      named.set(name, [...(named.get(name) ?? []), kept])
    }
    return [...named].map(([name, kept]) => ({ name, kept }))
  })
  function groupOf({ finding, now }: Kept): string {
    if (grouping.value === 'item') return nameOf(finding.picks[0]!)
    if (grouping.value === 'time') return finding.time_s == null ? 'At rest' : 'On the path'
    if (grouping.value === 'none') return ''
    if (now?.gone) return 'Gone'
    return now?.changed ? 'Changed' : 'As it was'
  }

  let asked = 0
  async function load() {
    const turn = ++asked
    if (!cell.cell || !all.value.length) return void (now.value = new Map())
    const params = { path: { id: cell.cell.id } }
    const found = await answer(api.GET('/api/cells/{id}/kept-findings', { params }))
    if (turn === asked) now.value = new Map(found.map((f) => [f.id, f]))
  }
  watch([() => cell.cell?.id, () => cell.cell?.revision], () => void load().catch(notices.say), {
    immediate: true,
  })

  const view = (): Finding['view'] => ({
    viewpoint: where.viewpoint,
    hidden: [...cell.items.keys()].filter((i) => !what.shownAlone(i)),
    sections: section.sections,
    uncut: [...section.cuts.uncut],
  })
  interface Parts {
    picks: Pick[]
    frame?: string | null
    time_s: number
    joints_deg_or_mm: Record<string, number>
  }
  async function keep(name: string, parts: Parts): Promise<void> {
    const params = { path: { id: cell.cell!.id } }
    const { picks, frame, time_s, joints_deg_or_mm } = parts
    const body = { picks, frame: frame ?? null, volumes: true, time_s, joints_deg_or_mm }
    const measured = await answer(api.POST('/api/cells/{id}/measure', { params, body }))
    const id = crypto.randomUUID()
    const finding: Finding = { id, name, ...parts, view: view(), was: measured.numbers }
    if (await cell.edit({ edit: 'save_finding', finding })) at.value = id
  }
  /** Keeps what is measured now. */
  async function keepMeasured() {
    const { measured, picks, frame } = measure
    if (!measured) return
    const names = measured.known.map((k) =>
      k.is === 'item' ? k.of : `${kindNames[k.is]} of ${k.of}`,
    )
    const parts = { picks, frame, time_s: when.time, joints_deg_or_mm: jog.tried }
    await keep(names.join(' to '), parts).catch(notices.say)
  }
  const sides = ({ a, b }: Pair) =>
    [a, b].map(({ item, link }): Pick => ({ on: link ? `${item}/${link}` : item, kind: 'item' }))
  /** Whether a closest approach is kept as it is. */
  const isKept = (pair: Pair) => {
    const picks = sides(pair)
    const isOf = (f: Finding) =>
      f.time_s === pair.time_s &&
      f.picks.length === 2 &&
      f.picks.every((p, i) => p.kind === 'item' && p.on === picks[i]!.on)
    return all.value.some(isOf)
  }
  /** Keeps a closest approach with the view it is looked at in. */
  async function keepPair(pair: Pair) {
    const parts = { picks: sides(pair), time_s: pair.time_s, joints_deg_or_mm: {} }
    await keep(`${pair.a.name} to ${pair.b.name}`, parts).catch(notices.say)
  }
  /** What one keeps just now: the closest approach that is shown, or what is measured. */
  const keepNow = () => (findings.shown ? keepPair(findings.shown) : keepMeasured())
  const canKeep = computed(() => !!findings.shown || !!measure.measured)

  const save = (finding: Finding) => cell.edit({ edit: 'save_finding', finding })
  const rename = (finding: Finding, name: string) => save({ ...finding, name })
  const setNote = (finding: Finding, note: string) => save({ ...finding, note: note || null })
  /** Takes what is found now for what it was. */
  const takeNow = ({ finding, now }: Kept) => save({ ...finding, was: now!.now })
  const remove = (finding: Finding) => cell.edit({ edit: 'delete_finding', finding: finding.id })

  /** Goes back to the pose, the view and what was shown, and measures it again. */
  function show(finding: Finding) {
    when.pause()
    if (findings.shown) findings.leaveEvidence()
    if (finding.time_s != null) when.goTo(finding.time_s)
    jogAs(finding.joints_deg_or_mm ?? {})
    at.value = finding.id
    const { view } = finding
    if (view) {
      const there = (id: string) => cell.items.has(id)
      const hidden = new Set((view.hidden ?? []).filter(there))
      what.showJust({ hidden, isolated: null, ghostRest: false, sets: new Set() })
      const stands = (s: Schemas['SectionDocument']) => !s.fixed_to || there(s.fixed_to)
      const sections = (view.sections ?? []).filter(stands)
      section.take({ sections, uncut: new Set(view.uncut) })
      where.goTo(view.viewpoint)
    }
    measure.frame = finding.frame && cell.items.has(finding.frame) ? finding.frame : null
    measure.set(finding.picks)
  }

  /** Jogs the joints that a hand had elsewhere; those of one mechanism, as they were jogged. */
  function jogAs(joints: Record<string, number>) {
    const [key] = Object.keys(joints)
    const mechanism = key?.split('/')[0]
    if (mechanism && cell.items.has(mechanism)) {
      jog.begin(mechanism)
      jog.take(joints)
    } else if (jog.open) jog.close()
  }

  return {
    all,
    list,
    at,
    filter,
    order,
    grouping,
    groups,
    canKeep,
    load,
    nameOf,
    keepMeasured,
    keepPair,
    isKept,
    keepNow,
    rename,
    setNote,
    takeNow,
    remove,
    show,
  }
})

/** The number that says most of a finding: what it is now, or was when its body is gone. */
export function mainValue({ finding, now }: Kept): Schemas['KnownValue'] | undefined {
  return now?.now[0] ?? finding.was?.[0]
}

const scalar = (value: Schemas['KnownValue'] | undefined): number => {
  const numbers = value ? Object.values(value).filter((v) => typeof v === 'number') : []
  return numbers[0] ?? Number.POSITIVE_INFINITY
}
const sortKeys: Record<Order, ((kept: Kept) => string | number) | null> = {
  kept: null,
  name: (kept) => kept.finding.name,
  number: (kept) => scalar(mainValue(kept)),
  time: (kept) => kept.finding.time_s ?? -1,
}
const compare = (a: string | number, b: string | number) =>
  typeof a === 'string' ? a.localeCompare(String(b)) : a - Number(b)
