import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { useNotices } from '../cell/noticesStore'
import type { Threshold } from './thresholds'

export type Rule = Schemas['RuleDocument']
export type MayTouch = Schemas['MayTouchDocument']
export type Touching = Schemas['TouchingPair']

const ROLES = ['robot', 'tool', 'fixture', 'part', 'structure'] as const

/** Something a side of a rule may name. */
export interface Nameable {
  key: string
  name: string
  kind: 'role' | 'set' | 'item'
}

/** What is required between what, and what may touch. */
export const useRules = defineStore('rules', () => {
  const cell = useCell()
  const notices = useNotices()
  const open = ref(false)

  const rules = computed<Rule[]>(() => cell.cell?.document.rules ?? [])
  const pairs = computed<MayTouch[]>(() => cell.cell?.document.may_touch ?? [])
  const reach = computed(() => cell.cell?.document.reach_rule?.spare_percent ?? null)
  /** All that a side may name. */
  const nameable = computed<Nameable[]>(() => {
    const document = cell.cell?.document
    const sets = document?.visibility_sets ?? []
    const bodies = new Set((cell.cell?.bodies ?? []).map((body) => body.item))
    const withBodies = [...cell.items.values()].filter(
      (item) => bodies.has(item.id) || cell.children.has(item.id),
    )
    return [
      ...ROLES.map((role) => ({
        key: `role:${role}`,
        name: `all ${role}s`,
        kind: 'role' as const,
      })),
      ...sets.map((s) => ({ key: `set:${s.id}`, name: `set ${s.name}`, kind: 'set' as const })),
      ...withBodies.map(({ id, name }) => ({ key: id, name, kind: 'item' as const })),
    ]
  })
  const solid = computed(() => nameable.value.filter((n) => n.kind === 'item'))
  const names = computed(() => new Map(nameable.value.map((n) => [n.key, n.name])))
  /** What people call a side, or an item, or a link of one. */
  function nameOf(key: string): string {
    const known = names.value.get(key)
    if (known) return known
    const [item, link] = key.split('/')
    const name = cell.items.get(item!)?.name ?? item!
    return link ? `${name} ${link.replaceAll('_', ' ')}` : name
  }

  const ruleName = (id: string) => rules.value.find((rule) => rule.id === id)?.name ?? id
  const save = (rule: Rule) => cell.edit({ edit: 'save_rule', rule })
  function add() {
    const taken = new Set(rules.value.map((r) => r.id))
    const free = (n: number): string => (taken.has(`rule-${n}`) ? free(n + 1) : `rule-${n}`)
    return save({
      id: free(1),
      name: 'New rule',
      between: ['role:robot'],
      and: ['role:structure'],
      required_mm: 50,
      tight_below_mm: 80,
    })
  }
  const remove = (rule: string) => cell.edit({ edit: 'delete_rule', rule })
  const take = (rule: Rule, { required_mm, tight_below_mm }: Threshold) =>
    save({ ...rule, required_mm, tight_below_mm })
  const letTouch = (pair: MayTouch) => cell.edit({ edit: 'let_touch', pair })
  const keepApart = ({ a, b }: MayTouch) => cell.edit({ edit: 'keep_apart', a, b })
  const requireReach = (percent: number | null) =>
    cell.edit({
      edit: 'require_reach',
      rule: percent === null ? null : { spare_percent: percent },
    })

  // ---- what touches by the way it is built
  const touching = shallowRef<Touching[]>([])
  /** Who is measured against whom. */
  const against = shallowRef<Schemas['Against'] | null>(null)
  async function look() {
    const id = cell.cell?.id
    if (!id || !open.value) return
    const request = { params: { path: { id } } }
    const now = answer(api.GET('/api/cells/{id}/against', request)).catch(() => null)
    touching.value = await answer(api.GET('/api/cells/{id}/touching', request)).catch(() => [])
    against.value = await now
  }
  watch([open, () => cell.cell?.fingerprint], look)
  /** Lets pairs touch that were suggested: as one step. */
  function accept(these: Touching[]) {
    const edits = these.map(({ a, b, reason }) => ({
      edit: 'let_touch' as const,
      pair: { a, b, reason },
    }))
    return cell.edit({ edit: 'together', label: `let ${these.length} pairs touch`, edits })
  }

  // ---- which rule, and why
  const ruled = shallowRef<Schemas['Ruling'][]>([])
  async function askBetween(a: string, b: string) {
    const request = { params: { path: { id: cell.cell!.id } }, body: { a, b } }
    try {
      ruled.value = await answer(api.POST('/api/cells/{id}/ask/rule', request))
    } catch (e) {
      ruled.value = []
      notices.say(e)
    }
  }

  return {
    open,
    rules,
    pairs,
    reach,
    nameable,
    items: solid,
    nameOf,
    ruleName,
    against,
    save,
    add,
    remove,
    take,
    letTouch,
    keepApart,
    requireReach,
    touching,
    accept,
    ruled,
    askBetween,
  }
})
