import { defineStore } from 'pinia'
import { computed, watchEffect } from 'vue'

import { useCell } from '../cell/cellStore'
import { useFindings } from '../findings/findingsStore'
import { useSection } from '../where/sectionStore'
import { useExport } from './exportStore'
import { useBindings } from '../settings/bindings'
import { useSettings } from '../settings/settingsStore'
import { type PickedFor, useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useWhen } from '../when/whenStore'
import { useKeyMoves } from './keyMoves'
import { useStandpoint } from '../where/standpointStore'
import { useTours } from '../where/tourStore'
import { useViews } from '../where/viewsStore'
import { layouts, useWhere, type Layout } from '../where/whereStore'
import { useNaming } from '../cell/namingStore'

export type Question = 'Where' | 'What' | 'When' | 'Findings' | 'Program'

export interface Action {
  id: string
  name: string
  /** Under which heading it is listed. */
  of: Question
  /** The binding in force, as written: `Shift+F`, `ArrowLeft`. */
  key?: string
  /** The binding it comes with. */
  standardKey?: string
  run: () => unknown
  enabled?: () => boolean
}

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
  const [cell, what, where, when, findings, settings] = [
    useCell(),
    useWhat(),
    useWhere(),
    useWhen(),
    useFindings(),
    useSettings(),
  ]
  const [views, tours, section, standpoint, exporting] = [
    useViews(),
    useTours(),
    useSection(),
    useStandpoint(),
    useExport(),
  ]
  const items = useItems()
  const naming = useNaming()
  const moves = useKeyMoves()
  const name = (title: string, name: string, done: (name: string) => unknown) =>
    (naming.asked = { title, name, done })
  const pick = (what: PickedFor) => {
    where.asking = 'places'
    items.picking = { for: what, places: [] }
  }
  const isGroup = () => items.one?.role === 'group' && !items.one.bodies?.length
  const some = () => what.selected.size > 0
  const list: Action[] = []
  const under = (of: Question, actions: Omit<Action, 'of'>[]) =>
    list.push(...actions.map((a) => ({ ...a, of })))
  const frames = {
    world: 'World',
    base: 'Base',
    flange: 'Flange',
    tcp: 'TCP',
    target: 'Target',
    frame: 'Other',
  }

  under('Where', [
    { id: 'fit-selection', name: 'Fit selection', key: 'F', run: () => where.fitSelection() },
    { id: 'fit-all', name: 'Fit all', key: 'Shift+F', run: () => where.fitAll() },
    {
      id: 'fit-rectangle',
      name: 'Fit a drawn rectangle',
      key: 'Shift+R',
      run: () => (where.asking = 'rectangle'),
    },
    {
      id: 'face-on',
      name: 'Look square on at a face',
      key: 'N',
      run: () => (where.asking = 'face-on'),
    },
    ...where.standardViews.map((v, i) => ({
      id: `view-${v.id}`,
      name: `View from ${v.name.toLowerCase()}`,
      key: i < 10 ? `Alt+${(i + 1) % 10}` : undefined,
      run: () => where.standard(v.id),
    })),
    { id: 'opposite', name: 'Opposite view', key: 'Shift+O', run: where.opposite },
    { id: 'step-left', name: 'Step bearing left', key: 'ArrowLeft', run: () => where.step(-1, 0) },
    {
      id: 'step-right',
      name: 'Step bearing right',
      key: 'ArrowRight',
      run: () => where.step(1, 0),
    },
    { id: 'step-up', name: 'Step elevation up', key: 'ArrowUp', run: () => where.step(0, 1) },
    {
      id: 'step-down',
      name: 'Step elevation down',
      key: 'ArrowDown',
      run: () => where.step(0, -1),
    },
    { id: 'nearer', name: 'Come nearer', key: 'PageUp', run: () => moves.nearer(1) },
    { id: 'farther', name: 'Go back', key: 'PageDown', run: () => moves.nearer(-1) },
    { id: 'move-left', name: 'Move left', key: 'Ctrl+ArrowLeft', run: () => moves.shift(-1, 0) },
    { id: 'move-right', name: 'Move right', key: 'Ctrl+ArrowRight', run: () => moves.shift(1, 0) },
    { id: 'move-up', name: 'Move up', key: 'Ctrl+ArrowUp', run: () => moves.shift(0, 1) },
    { id: 'move-down', name: 'Move down', key: 'Ctrl+ArrowDown', run: () => moves.shift(0, -1) },
    {
      id: 'turn-left',
      name: 'Turn left by 5°',
      key: 'Ctrl+Shift+ArrowLeft',
      run: () => moves.turn(-1, 0),
    },
    {
      id: 'turn-right',
      name: 'Turn right by 5°',
      key: 'Ctrl+Shift+ArrowRight',
      run: () => moves.turn(1, 0),
    },
    {
      id: 'turn-up',
      name: 'Turn up by 5°',
      key: 'Ctrl+Shift+ArrowUp',
      run: () => moves.turn(0, 1),
    },
    {
      id: 'turn-down',
      name: 'Turn down by 5°',
      key: 'Ctrl+Shift+ArrowDown',
      run: () => moves.turn(0, -1),
    },
    {
      id: 'roll-left',
      name: 'Roll left by 15°',
      key: 'Shift+ArrowLeft',
      run: () => where.rollBy(15),
    },
    {
      id: 'roll-right',
      name: 'Roll right by 15°',
      key: 'Shift+ArrowRight',
      run: () => where.rollBy(-15),
    },
    { id: 'level', name: 'Level the view', key: 'L', run: where.level },
    {
      id: 'view-back',
      name: 'View back',
      key: 'B',
      run: where.goBack,
      enabled: () => where.back.length > 0,
    },
    {
      id: 'view-forward',
      name: 'View forward',
      key: 'Shift+B',
      run: where.goForward,
      enabled: () => where.forward.length > 0,
    },
    {
      id: 'projection',
      name: 'Switch perspective and parallel',
      key: 'O',
      run: () =>
        where.setProjection(where.viewpoint.projection === 'parallel' ? 'perspective' : 'parallel'),
    },
    {
      id: 'pivot',
      name: 'Turn about a picked point',
      key: 'T',
      run: () => (where.asking = 'pivot'),
    },
    { id: 'reset-pivot', name: 'Turn about the middle again', run: where.resetPivot },
    { id: 'stand', name: 'Stand in the cell', key: 'G', run: () => (where.asking = 'stand') },
    { id: 'fly', name: 'Fly', key: 'Shift+G', run: standpoint.fly },
    {
      id: 'plan-camera',
      name: 'Set a camera on the plan',
      run: () => {
        where.asking = 'camera-from'
        if (where.shownPanes.length === 1) return where.standard('top')
      },
    },
    ...(Object.keys(layouts) as Layout[]).map((id) => ({
      id: `layout-${id}`,
      name: layouts[id].name,
      run: () => where.setLayout(id),
    })),
    { id: 'next-layout', name: 'Next arrangement of panes', key: 'Shift+E', run: where.nextLayout },
    {
      id: 'enlarge',
      name: 'Enlarge the pane under the pointer, and back',
      key: 'E',
      run: where.enlarge,
    },
    {
      id: 'link-panes',
      name: 'Panes move together, on or off',
      run: () => (settings.looking.linked = !settings.looking.linked),
    },
    ...(['shaded_edges', 'shaded', 'hidden_dashed', 'hidden_removed', 'wireframe'] as const).map(
      (id) => ({
        id: `style-${id}`,
        name: `Style: ${styleNames[id].toLowerCase()}`,
        run: () => (where.style = id),
      }),
    ),
    {
      id: 'colours',
      name: 'Colours by role or own',
      run: () => (where.colours = where.colours === 'role' ? 'own' : 'role'),
    },
    {
      id: 'grid',
      name: 'Grid on or off',
      run: () => (settings.furniture.grid = !settings.furniture.grid),
    },
    {
      id: 'shadow',
      name: 'Shadow on the ground on or off',
      run: () => (settings.furniture.shadow = !settings.furniture.shadow),
    },
    {
      id: 'save-view',
      name: 'Save this view',
      key: 'Shift+V',
      run: () =>
        (naming.asked = {
          title: 'Save this view as',
          name: `View ${views.views.length + 1}`,
          done: views.save,
        }),
    },
    ...views.views.map((view, i) => ({
      id: `recall-${view.id}`,
      name: `Recall ${view.name}`,
      key: i < 9 ? String(i + 1) : undefined,
      run: () => views.recall(view),
    })),
    ...tours.tours.map((tour) => ({
      id: `tour-${tour.id}`,
      name: `Tour ${tour.name}`,
      run: () => tours.open(tour.id),
    })),
    {
      id: 'picture',
      name: 'Export a picture',
      key: 'Ctrl+Shift+P',
      run: () => (exporting.open = 'picture'),
    },
  ])
  under('What', [
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
  ])
  under('What', [
    { id: 'bring', name: 'Bring files in…', key: 'Ctrl+O', run: chooseFiles },
    {
      id: 'handles-move',
      name: 'Handles to move it',
      key: 'J',
      run: () => items.toggleHandles('move'),
      enabled: some,
    },
    {
      id: 'handles-turn',
      name: 'Handles to turn it',
      key: 'Shift+J',
      run: () => items.toggleHandles('turn'),
      enabled: some,
    },
    {
      id: 'handles-larger',
      name: 'Handles larger',
      key: 'Shift++',
      run: () =>
        (settings.furniture.handleSize = Math.min(2.5, settings.furniture.handleSize * 1.25)),
    },
    {
      id: 'handles-smaller',
      name: 'Handles smaller',
      key: 'Shift+_',
      run: () =>
        (settings.furniture.handleSize = Math.max(0.3, settings.furniture.handleSize / 1.25)),
    },
    {
      id: 'carry',
      name: 'Camera goes along with what is dragged, on or off',
      run: () => (items.carry = !items.carry),
    },
    {
      id: 'drop',
      name: 'Drop to the floor',
      key: 'Shift+D',
      run: () => items.arrange('drop'),
      enabled: some,
    },
    {
      id: 'snap-point',
      name: 'Snap a point to a point',
      run: () => pick('point-to-point'),
      enabled: some,
    },
    {
      id: 'snap-face',
      name: 'Lay a face against a face',
      run: () => pick('face-to-face'),
      enabled: some,
    },
    {
      id: 'snap-axis',
      name: 'Bring an axis onto an axis',
      run: () => pick('axis-to-axis'),
      enabled: some,
    },
    {
      id: 'turn-about',
      name: 'Turn it about a picked point',
      run: () => pick('about'),
      enabled: some,
    },
    {
      id: 'rename',
      name: 'Rename',
      key: 'F2',
      run: () => items.one && name('Rename', items.one.name, (n) => items.rename(items.one!.id, n)),
      enabled: () => !!items.one,
    },
    {
      id: 'duplicate',
      name: 'Duplicate, with what hangs on it',
      key: 'Ctrl+D',
      run: items.duplicate,
      enabled: some,
    },
    {
      id: 'group',
      name: 'Group',
      key: 'Ctrl+G',
      run: () => name('Name of the group', 'Group', items.group),
      enabled: some,
    },
    { id: 'ungroup', name: 'Ungroup', key: 'Ctrl+Shift+G', run: items.ungroup, enabled: isGroup },
    {
      id: 'detach',
      name: 'Stand on the floor, where it is',
      run: () => items.arrange({ hang: { keep: 'world' } }),
      enabled: some,
    },
    { id: 'lock', name: 'Lock or unlock', key: 'Shift+K', run: items.toggleLock, enabled: some },
    { id: 'new-frame', name: 'New frame on the selection', run: () => items.addFrame('frame') },
    { id: 'new-tcp', name: 'New TCP on the selection', run: () => items.addFrame('tcp') },
    { id: 'frame-face', name: 'New frame on a face', run: () => pick('frame-face') },
    {
      id: 'frame-axis',
      name: 'New frame in the axis of a round face',
      run: () => pick('frame-axis'),
    },
    { id: 'frame-points', name: 'New frame by three points', run: () => pick('frame-points') },
    {
      id: 'use-frame',
      name: 'Make its frame the active one: numbers and coordinates in it',
      run: () => items.useFrame(items.one!.id),
      enabled: () => !!items.one,
    },
    {
      id: 'use-world',
      name: 'Make the world frame the active one',
      run: () => items.useFrame(null),
    },
    {
      id: 'new-set',
      name: 'Keep the selection as a visibility set',
      run: () => name('Name of the set', `Set ${items.sets.length + 1}`, (n) => items.saveSet(n)),
      enabled: some,
    },
    { id: 'delete', name: 'Delete…', key: 'Delete', run: () => items.askDelete(), enabled: some },
    {
      id: 'export-glb',
      name: 'Export what is shown as GLB',
      run: () => exporting.items({ format: 'glb' }),
    },
    {
      id: 'export-stl',
      name: 'Export what is shown as STL',
      run: () => exporting.items({ format: 'stl' }),
    },
    {
      id: 'export-urdf',
      name: 'Export the robot as URDF',
      run: () => exporting.items({ format: 'urdf' }),
      enabled: () => !!items.one?.mechanism,
    },
  ])
  under('When', [
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
  ])
  under('Findings', [
    { id: 'section', name: 'Section on or off', key: 'X', run: section.toggle },
    { id: 'sweep', name: 'Sweep the run plan', key: 'Shift+S', run: findings.sweep },
  ])
  under('Program', [
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
        if (where.asking) {
          where.asking = null
          standpoint.planned = null
          items.picking = null
          return
        }
        if (items.handles) return (items.handles = null)
        if (standpoint.mode) return standpoint.leave()
        if (tours.playing) return (tours.playing = false)
        if (findings.shown) return findings.leaveEvidence()
        if (what.peeking) return (what.peeking = false)
        what.select(null)
      },
    },
  ])
  for (const action of list) {
    action.standardKey = action.key
    action.key = settings.keys[action.id] ?? action.key
    if (!action.key) delete action.key
  }
  return list
}

/** Lets the person choose files to bring in; the workspace listens to the input. */
const chooseFiles = () => document.querySelector<HTMLInputElement>('#files-to-bring')?.click()

export const styleNames = {
  shaded_edges: 'Shaded with edges',
  shaded: 'Shaded',
  hidden_dashed: 'Hidden edges dashed',
  hidden_removed: 'Hidden edges removed',
  wireframe: 'Wireframe',
}
