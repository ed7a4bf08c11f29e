import { useNaming } from '../cell/namingStore'
import { useSettings } from '../settings/settingsStore'
import { useStandpoint } from '../where/standpointStore'
import { useTours } from '../where/tourStore'
import { useViews } from '../where/viewsStore'
import { useWhere } from '../where/whereStore'
import { useExport } from './exportStore'
import { useKeyMoves } from './keyMoves'
import { type Layout, layouts, styleNames } from '../where/panes'
import type { Row } from './action'

/** From where one looks, and how it is drawn. */
export function whereActions(): Row[] {
  const naming = useNaming()
  const settings = useSettings()
  const standpoint = useStandpoint()
  const tours = useTours()
  const views = useViews()
  const where = useWhere()
  const exporting = useExport()
  const moves = useKeyMoves()
  return [
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
  ]
}
