import { useCell } from '../cell/cellStore'
import { useSettings } from '../settings/settingsStore'
import { useWhat } from '../what/whatStore'
import type { Row } from './action'

/** What is shown and selected. */
export function whatActions(): Row[] {
  const cell = useCell()
  const settings = useSettings()
  const what = useWhat()
  const some = () => what.selected.size > 0
  const frames = {
    world: 'World',
    base: 'Base',
    flange: 'Flange',
    tcp: 'TCP',
    target: 'Target',
    frame: 'Other',
  }

  return [
    {
      id: 'isolate',
      name: 'Isolate selection',
      key: 'I',
      run: () => what.isolate(undefined, settings.looking.ghostRest),
      enabled: some,
    },
    {
      id: 'isolate-ghosted',
      name: 'Isolate selection, the rest ghosted',
      key: 'Shift+I',
      run: () => what.isolate(undefined, true),
      enabled: some,
    },
    {
      id: 'isolate-alone',
      name: 'Isolate selection without what hangs on it',
      run: () => what.isolateOnly([...what.selected]),
      enabled: some,
    },
    {
      id: 'shown-before',
      name: 'What was shown before',
      key: 'U',
      run: what.shownBefore,
      enabled: () => what.past.length > 0,
    },
    {
      id: 'shown-again',
      name: 'What was shown after that',
      key: 'Shift+U',
      run: what.shownAgain,
      enabled: () => what.future.length > 0,
    },
    { id: 'hide', name: 'Hide selection', key: 'H', run: () => what.hide(), enabled: some },
    { id: 'show-all', name: 'Show all', key: 'Shift+H', run: () => what.showAll() },
    {
      id: 'peek',
      name: 'Peek at what is hidden',
      key: 'P',
      run: () => (what.peeking = !what.peeking),
    },
    { id: 'select-all', name: 'Select all', key: 'Ctrl+A', run: what.selectAll },
    {
      id: 'select-none',
      name: 'Select nothing',
      key: 'Ctrl+Shift+A',
      run: () => what.select(null),
    },
    { id: 'invert', name: 'Invert the selection', key: 'Ctrl+I', run: what.invertSelection },
    { id: 'ghost', name: 'Ghost selection', run: () => what.ghost(), enabled: some },
    { id: 'invert-shown', name: 'Show what is hidden, hide what is shown', run: what.invertShown },
    {
      id: 'select-role',
      name: 'Select all of the same role',
      run: () => what.selectLike('role'),
      enabled: some,
    },
    {
      id: 'select-mesh',
      name: 'Select all of the same mesh',
      run: () => what.selectLike('mesh'),
      enabled: some,
    },
    {
      id: 'select-parent',
      name: 'Select what carries it',
      run: () => what.selectLike('parent'),
      enabled: some,
    },
    {
      id: 'select-children',
      name: 'Select what hangs on it',
      run: () => (what.selected = new Set([...what.selected].flatMap((i) => cell.family(i)))),
      enabled: some,
    },
    {
      id: 'frame-of-selection',
      name: 'Mark the frame of the selection, on or off',
      key: 'Shift+A',
      run: () => what.toggleFrame(),
      enabled: some,
    },
    ...Object.entries(frames).map(([kind, name]) => ({
      id: `frames-${kind}`,
      name: `${name} frames on or off`,
      run: () => {
        const on = settings.furniture.kinds
        settings.furniture.kinds = on.includes(kind) ? on.filter((k) => k !== kind) : [...on, kind]
      },
    })),
    {
      id: 'frames-larger',
      name: 'Frames larger',
      key: '+',
      run: () =>
        (settings.furniture.frameSize = Math.min(160, settings.furniture.frameSize * 1.25)),
    },
    {
      id: 'frames-smaller',
      name: 'Frames smaller',
      key: '-',
      run: () => (settings.furniture.frameSize = Math.max(10, settings.furniture.frameSize / 1.25)),
    },
  ]
}
