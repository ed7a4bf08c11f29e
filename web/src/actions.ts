import { useCell } from './cells/cellStore'
import { useFindings } from './findings/findingsStore'
import { useSettings } from './settings/settingsStore'
import { useWhat } from './what/whatStore'
import { useWhen } from './when/whenStore'
import { wrapped } from './where/navigation'
import { useWhere } from './where/whereStore'

export interface Action {
  id: string
  name: string
  /** As written: `Shift+F`, `ArrowLeft`. */
  key?: string
  run: () => unknown
  enabled?: () => boolean
}

/** Everything one can do: menus, hints, shortcuts and the search box all come from here. */
export function useActions(): Action[] {
  const [cell, what, where, when, findings, settings] = [useCell(), useWhat(), useWhere(), useWhen(), useFindings(), useSettings()]
  const some = () => what.selected.size > 0
  return [
    { id: 'fit-selection', name: 'Fit selection', key: 'F', run: () => where.fitSelection() },
    { id: 'fit-all', name: 'Fit all', key: 'Shift+F', run: () => where.fitAll() },
    ...where.standardViews.map((v, i) => ({
      id: `view-${v.id}`, name: `View from ${v.name.toLowerCase()}`, key: `Alt+${(i + 1) % 10}`, run: () => where.standard(v.id),
    })),
    { id: 'opposite', name: 'Opposite view', run: () => where.turnTo(wrapped(where.viewpoint.bearing_deg + 180), where.viewpoint.elevation_deg) },
    { id: 'step-left', name: 'Step bearing left', key: 'ArrowLeft', run: () => where.step(-1, 0) },
    { id: 'step-right', name: 'Step bearing right', key: 'ArrowRight', run: () => where.step(1, 0) },
    { id: 'step-up', name: 'Step elevation up', key: 'ArrowUp', run: () => where.step(0, 1) },
    { id: 'step-down', name: 'Step elevation down', key: 'ArrowDown', run: () => where.step(0, -1) },
    { id: 'view-back', name: 'View back', key: '[', run: where.goBack, enabled: () => where.back.length > 0 },
    { id: 'view-forward', name: 'View forward', key: ']', run: where.goForward, enabled: () => where.forward.length > 0 },
    {
      id: 'projection', name: 'Switch perspective and parallel', key: 'O',
      run: () => where.setProjection(where.viewpoint.projection === 'parallel' ? 'perspective' : 'parallel'),
    },
    { id: 'isolate', name: 'Isolate selection', key: 'I', run: () => what.isolate(), enabled: some },
    { id: 'hide', name: 'Hide selection', key: 'H', run: () => what.hide(), enabled: some },
    { id: 'show-all', name: 'Show all', key: 'Shift+H', run: () => what.showAll() },
    { id: 'peek', name: 'Peek at what is hidden', key: 'P', run: () => (what.peeking = !what.peeking) },
    { id: 'select-all', name: 'Select all', key: 'Ctrl+A', run: what.selectAll },
    { id: 'section', name: 'Section on or off', key: 'X', run: where.toggleSection },
    { id: 'play', name: 'Play or pause', key: ' ', run: when.togglePlay },
    { id: 'to-start', name: 'To the start of the path', key: 'Home', run: () => when.goTo(0) },
    { id: 'sweep', name: 'Sweep the run plan', key: 'Shift+S', run: findings.sweep },
    { id: 'undo', name: `Undo${cell.cell?.undo ? ` ${cell.cell.undo}` : ''}`, key: 'Ctrl+Z', run: cell.undo, enabled: () => !!cell.cell?.undo },
    { id: 'redo', name: `Redo${cell.cell?.redo ? ` ${cell.cell.redo}` : ''}`, key: 'Ctrl+Shift+Z', run: cell.redo, enabled: () => !!cell.cell?.redo },
    { id: 'theme', name: 'Light or dark', run: settings.toggleDark },
    { id: 'find', name: 'Find anything one can do', key: 'Ctrl+K', run: () => (settings.finding = true) },
    ...where.views.map((view, i) => ({
      id: `recall-${view.id}`, name: `Recall ${view.name}`, key: i < 9 ? String(i + 1) : undefined, run: () => where.recall(view),
    })),
    {
      id: 'escape', name: 'Clear selection, stop', key: 'Escape',
      run: () => {
        if (findings.job) return findings.stop()
        if (findings.shown) return findings.leaveEvidence()
        what.peeking = false
        what.select(null)
      },
    },
  ]
}

/** The binding of a key event, as the table writes it. */
export function bindingOf(e: KeyboardEvent): string {
  const letter = e.key.length === 1 ? e.key.toUpperCase() : e.key
  const digit = /^Digit\d$/.test(e.code) && e.altKey ? e.code.slice(5) : letter
  const shift = e.shiftKey && (letter.length > 1 || letter !== letter.toLowerCase())
  return [(e.ctrlKey || e.metaKey) && 'Ctrl', e.altKey && 'Alt', shift && 'Shift', digit].filter(Boolean).join('+')
}

/** A binding as people read it. */
export function readable(key: string): string {
  const names: Record<string, string> = { ' ': 'Space', ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑', ArrowDown: '↓', Escape: 'Esc' }
  return key.split('+').map((k) => names[k] ?? k).join('+')
}
