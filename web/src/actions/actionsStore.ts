import { defineStore } from 'pinia'
import { computed, watchEffect } from 'vue'

import { useBindings } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'
import type { Action, Question, Row } from './action'
import { itemActions } from './itemActions'
import { findingsActions, whenActions } from './pathActions'
import { programActions } from './programActions'
import { whatActions } from './whatActions'
import { whereActions } from './whereActions'

/**
 * Everything one can do: menus, hints, shortcuts, the quick bar and the search box all come from
 * here.
 */
export const useActions = defineStore('actions', () => {
  const list = computed(table)
  const byId = computed(() => new Map(list.value.map((action) => [action.id, action])))
  const bindings = useBindings()
  watchEffect(() => {
    const keys = list.value.flatMap(({ id, key }) => (key ? [[id, key] as const] : []))
    bindings.inForce = new Map(keys)
  })
  const get = (id: string) => byId.value.get(id)!
  return { list, get }
})

/** The table of actions, as it is now. */
function table(): Action[] {
  const settings = useSettings()
  const under = (of: Question, actions: Row[]) => actions.map((a): Action => ({ ...a, of }))
  const list = [
    ...under('Where', whereActions()),
    ...under('What', whatActions()),
    ...under('What', itemActions()),
    ...under('When', whenActions()),
    ...under('Findings', findingsActions()),
    ...under('Program', programActions()),
  ]
  for (const action of list) {
    action.standardKey = action.key
    action.key = settings.keys[action.id] ?? action.key
    if (!action.key) delete action.key
  }
  return list
}
