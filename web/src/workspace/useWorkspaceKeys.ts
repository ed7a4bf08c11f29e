import { useEventListener } from '@vueuse/core'

import { useActions } from '../actions/actionsStore'
import { useHeldDial } from '../picture/heldDial'
import { lookKey } from '../picture/useHand'
import { bindingOf } from '../settings/bindings'
import { useImport } from '../what/importStore'
import { useStandpoint } from '../where/standpointStore'

/** Where keys are typed, not meant for the workspace. */
const elsewhere = (target: HTMLElement) =>
  target.closest('input, textarea, select, [contenteditable], .v-overlay__content')

/** Where what was typed in a field stands, undoing takes back the change it made. */
const isDone = (field: HTMLElement) =>
  field.matches('[data-done]') && !field.closest('.v-overlay__content')

/** The keys of the workspace, wherever the focus is. */
export function useWorkspaceKeys() {
  const table = useActions()
  const standpoint = useStandpoint()
  const dial = useHeldDial()
  const bringing = useImport()

  useEventListener(window, 'pointermove', dial.moved, { capture: true, passive: true })
  useEventListener(window, 'keydown', (e: KeyboardEvent) => {
    const target = e.target as HTMLElement
    // What has the focus may have done something with it.
    if (e.defaultPrevented) return
    const action = table.list.find((a) => a.key === bindingOf(e))
    const undoes = action?.id === 'undo' || action?.id === 'redo'
    if (elsewhere(target) && !(undoes && isDone(target))) return
    if (standpoint.key(e, true)) return e.preventDefault()
    const plain = !e.ctrlKey && !e.metaKey && !e.altKey && !e.shiftKey
    const held = e.key.toLowerCase()
    if (plain && held === 'v') return (lookKey.value = true)
    if (plain && held === 'd') return dial.open()
    if (!action || (e.key === ' ' && target.closest('button'))) return
    if (e.key.startsWith('Arrow') && target.closest('[role=tree], [role=slider]')) return
    if (e.key === 'Escape' && bringing.open) return void bringing.stop()
    e.preventDefault()
    if (action.id === 'escape') dial.close(false)
    if (action.enabled?.() ?? true) void action.run()
  })
  useEventListener(window, 'keyup', (e: KeyboardEvent) => {
    standpoint.key(e, false)
    if (e.key.toLowerCase() === 'v') lookKey.value = false
    if (e.key.toLowerCase() === 'd') dial.close(true)
  })
  useEventListener(window, 'blur', () => {
    standpoint.release()
    lookKey.value = false
    dial.close(false)
  })
}
