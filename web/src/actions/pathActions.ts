import { useNaming } from '../cell/namingStore'
import { useAccess } from '../findings/accessStore'
import { useFindings } from '../findings/findingsStore'
import { useKept } from '../findings/keptStore'
import { useMeasure } from '../findings/measureStore'
import { useOverlaps } from '../findings/overlapStore'
import { useReach } from '../findings/reachStore'
import { useRules } from '../findings/rulesStore'
import { useSeries } from '../findings/seriesStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import { useDrawing } from '../where/drawingStore'
import { useSection } from '../where/sectionStore'
import { useTours } from '../where/tourStore'
import { useWhere } from '../where/whereStore'
import { useJog } from '../when/jogStore'
import { usePrograms } from '../when/programStore'
import { useStrip } from '../when/stripStore'
import { useTarget } from '../when/targetStore'
import { useWhen } from '../when/whenStore'
import type { Row } from './action'

/** The time on the path. */
export function whenActions(): Row[] {
  const tours = useTours()
  const when = useWhen()
  const strip = useStrip()
  const jog = useJog()
  const programs = usePrograms()
  const target = useTarget()
  return [
    {
      id: 'play',
      name: 'Play or pause',
      key: ' ',
      run: () => (tours.tour ? tours.togglePlay() : when.togglePlay()),
    },
    {
      id: 'to-start',
      name: 'To the start',
      key: 'Home',
      run: () => (tours.tour ? tours.goTo(0) : when.goTo(0)),
    },
    { id: 'next-move', name: 'To where the next move begins', key: '.', run: () => when.step(1) },
    {
      id: 'previous-move',
      name: 'To where the move before begins',
      key: ',',
      run: () => when.step(-1),
    },
    { id: 'next-knot', name: 'To the next knot', key: 'Alt+.', run: () => when.stepKnot(1) },
    {
      id: 'previous-knot',
      name: 'To the knot before',
      key: 'Alt+,',
      run: () => when.stepKnot(-1),
    },
    {
      id: 'whole-path',
      name: 'The whole path on the strip',
      run: strip.showAll,
      enabled: () => strip.part !== null,
    },
    { id: 'programs', name: 'Programs, move by move', key: 'Y', run: programs.toggle },
    { id: 'jog', name: 'Jog joints and the TCP by hand', key: 'K', run: jog.toggle },
    {
      id: 'target-move',
      name: 'Handles to move the target',
      key: 'Alt+J',
      run: () => target.toggleHandles('move'),
      enabled: () => programs.open && !!target.target,
    },
    {
      id: 'target-turn',
      name: 'Handles to turn the target',
      key: 'Alt+Shift+J',
      run: () => target.toggleHandles('turn'),
      enabled: () => programs.open && !!target.target,
    },
  ]
}

/** What is found out. */
export function findingsActions(): Row[] {
  const findings = useFindings()
  const section = useSection()
  const where = useWhere()
  const what = useWhat()
  const rules = useRules()
  const kept = useKept()
  const measure = useMeasure()
  const naming = useNaming()
  const overlaps = useOverlaps()
  const drawing = useDrawing()
  const settings = useSettings()
  const series = useSeries()
  const reach = useReach()
  const access = useAccess()
  function open(tab: typeof findings.tab) {
    settings.panels.findings = true
    findings.tab = tab
  }
  return [
    {
      id: 'measure',
      name: 'Measure',
      key: 'M',
      run: () => {
        measure.toggle()
        if (measure.picking) open('measured')
      },
    },
    {
      id: 'keep-finding',
      name: 'Keep as a finding',
      key: 'Shift+M',
      run: kept.keepNow,
      enabled: () => kept.canKeep,
    },
    {
      id: 'overlaps',
      name: 'What overlaps here',
      run: () => {
        open('overlap')
        void overlaps.look()
      },
    },
    {
      id: 'measure-along',
      name: 'What is measured, along the path',
      run: series.followMeasured,
      enabled: () => measure.picks.length > 0 && measure.picks.length < 3,
    },
    {
      id: 'reach-along',
      name: 'Reach along the path',
      run: () => {
        open('reach')
        void reach.follow()
      },
      enabled: () => reach.tcp !== null,
    },
    {
      id: 'reach-outline',
      name: 'Outline of what a robot reaches',
      run: () => {
        open('reach')
        reach.outlined = !reach.outlined
      },
      enabled: () => reach.tcp !== null,
    },
    {
      id: 'access',
      name: 'What can be seen or reached from here',
      run: () => {
        open('access')
        void access.look()
      },
    },
    {
      id: 'measure-clear',
      name: 'Forget what is measured',
      run: measure.clear,
      enabled: () => measure.picks.length > 0,
    },
    { id: 'section', name: 'Section on or off', key: 'X', run: section.toggle },
    { id: 'section-add', name: 'Another section', key: 'Shift+X', run: section.addNew },
    { id: 'section-view', name: 'Section square to the view', run: section.addAlongView },
    {
      id: 'section-face',
      name: 'Section along a face',
      run: () => (where.asking = 'cut-face'),
    },
    {
      id: 'section-point',
      name: 'Section through a point',
      run: () => (where.asking = 'cut-point'),
    },
    {
      id: 'section-edge',
      name: 'Section square to an edge or axis',
      run: () => (where.asking = 'cut-edge'),
    },
    {
      id: 'section-points',
      name: 'Section through three points',
      run: () => {
        section.through = []
        where.asking = 'cut-points'
      },
    },
    {
      id: 'section-keep',
      name: 'Keep the section by name…',
      run: () => {
        naming.asked = { title: 'Name of the section', name: '', done: section.keep }
      },
      enabled: () => section.section !== null,
    },
    ...section.kept.map(({ id, name, section: kept }) => ({
      id: `section-kept-${id}`,
      name: `Cut by ${name}`,
      run: () => section.add(kept),
    })),
    {
      id: 'section-drawing',
      name: 'Section as a flat drawing',
      key: 'Ctrl+Shift+X',
      run: drawing.toggle,
      enabled: () => section.section !== null,
    },
    {
      id: 'section-uncut',
      name: 'Cut the selection, or leave it whole',
      run: () => section.toggleUncut(),
      enabled: () => what.selected.size > 0,
    },
    {
      id: 'rules',
      name: 'Rules: what is required, what may touch…',
      key: 'R',
      run: () => (rules.open = true),
    },
    { id: 'sweep', name: 'Sweep the run plan', key: 'Shift+S', run: findings.sweep },
    {
      id: 'sweep-by-itself',
      name: 'Sweep by itself after every edit, or not',
      run: () => (settings.sweeping.byItself = !settings.sweeping.byItself),
    },
    {
      id: 'next-approach',
      name: 'Next closest approach, the worst first',
      key: 'C',
      run: () => void findings.step(1),
      enabled: () => findings.pairs.length > 0,
    },
    {
      id: 'previous-approach',
      name: 'Previous closest approach',
      key: 'Shift+C',
      run: () => void findings.step(-1),
      enabled: () => findings.pairs.length > 0,
    },
  ]
}
