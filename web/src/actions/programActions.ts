import { useCell } from '../cell/cellStore'
import { useAccess } from '../findings/accessStore'
import { useFindings } from '../findings/findingsStore'
import { useDrawing } from '../where/drawingStore'
import { useMeasure } from '../findings/measureStore'
import { useOverlaps } from '../findings/overlapStore'
import { useSeries } from '../findings/seriesStore'
import { useSettings } from '../settings/settingsStore'
import { useHeld } from '../what/heldStore'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useStandpoint } from '../where/standpointStore'
import { useTours } from '../where/tourStore'
import { useWhere } from '../where/whereStore'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import { useExport } from './exportStore'
import type { Row } from './action'

/** What is done to the program itself. */
export function programActions(): Row[] {
  const cell = useCell()
  const findings = useFindings()
  const settings = useSettings()
  const items = useItems()
  const held = useHeld()
  const what = useWhat()
  const standpoint = useStandpoint()
  const tours = useTours()
  const where = useWhere()
  const exporting = useExport()
  const jog = useJog()
  const measure = useMeasure()
  const overlaps = useOverlaps()
  const series = useSeries()
  const access = useAccess()
  const drawing = useDrawing()
  const programs = usePrograms()
  return [
    {
      id: 'undo',
      name: `Undo${cell.cell?.undo ? ` ${cell.cell.undo.label}` : ''}`,
      key: 'Ctrl+Z',
      run: cell.undo,
      enabled: () => !!cell.cell?.undo,
    },
    {
      id: 'redo',
      name: `Redo${cell.cell?.redo ? ` ${cell.cell.redo.label}` : ''}`,
      key: 'Ctrl+Shift+Z',
      run: cell.redo,
      enabled: () => !!cell.cell?.redo,
    },
    {
      id: 'find',
      name: 'Find anything one can do',
      key: 'Ctrl+K',
      run: () => (settings.open = 'find'),
    },
    {
      id: 'bindings',
      name: 'All bindings on one page',
      key: '?',
      run: () => (settings.open = 'bindings'),
    },
    { id: 'settings', name: 'Settings', key: 'Ctrl+,', run: () => (settings.open = 'settings') },
    {
      id: 'roster-panel',
      name: 'Roster on or off',
      run: () => (settings.panels.roster = !settings.panels.roster),
    },
    {
      id: 'findings-panel',
      name: 'Findings on or off',
      run: () => (settings.panels.findings = !settings.panels.findings),
    },
    {
      id: 'path-panel',
      name: 'Path on or off',
      run: () => (settings.panels.path = !settings.panels.path),
    },
    { id: 'standard-panels', name: 'Standard arrangement of panels', run: settings.standardPanels },
    { id: 'theme', name: 'Light or dark', run: settings.toggleDark },
    {
      id: 'escape',
      name: 'Stop, leave, clear the selection',
      key: 'Escape',
      run: () => {
        if (exporting.job) return exporting.stop()
        if (findings.job) return findings.stop()
        if (overlaps.looking) return overlaps.stop()
        if (drawing.begun) return (drawing.begun = null)
        if (drawing.open) return (drawing.open = false)
        if (where.asking) {
          where.asking = null
          standpoint.planned = null
          items.picking = null
          return
        }
        if (held.on) return (held.on = null)
        if (standpoint.mode) return standpoint.leave()
        if (tours.playing) return (tours.playing = false)
        if (findings.shown) return findings.leaveEvidence()
        if (jog.open) return jog.close()
        if (programs.open) return programs.toggle()
        if (what.peeking) return (what.peeking = false)
        if (measure.picks.length) return measure.clear()
        if (series.followed) return series.close()
        if (access.found || access.cone) return access.forget()
        what.select(null)
      },
    },
  ]
}
