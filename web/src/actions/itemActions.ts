import { useNaming } from '../cell/namingStore'
import { useSettings } from '../settings/settingsStore'
import { useItems } from '../what/itemsStore'
import { useWhat } from '../what/whatStore'
import { useWhere } from '../where/whereStore'
import { useExport } from './exportStore'
import type { PickedFor } from '../what/pickedFor'
import type { Row } from './action'

/** What is done to items. */
export function itemActions(): Row[] {
  const naming = useNaming()
  const settings = useSettings()
  const items = useItems()
  const what = useWhat()
  const where = useWhere()
  const exporting = useExport()
  const name = (title: string, name: string, done: (name: string) => unknown) =>
    (naming.asked = { title, name, done })
  const pick = (what: PickedFor) => {
    where.asking = 'places'
    items.picking = { for: what, places: [] }
  }
  const isGroup = () => items.one?.role === 'group' && !items.one.bodies?.length
  const some = () => what.selected.size > 0
  const canMove = () => !!items.one?.bodies?.length && !items.one.mechanism
  return [
    { id: 'bring', name: 'Bring files in…', key: 'Ctrl+O', run: chooseFiles },
    { id: 'robot-table', name: 'Robot from a table…', run: () => (items.tabling = true) },
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
      id: 'joint-own',
      name: 'Give it a joint…',
      run: () => items.askJoint(null),
      enabled: canMove,
    },
    {
      id: 'joint-axis',
      name: 'Give it a joint in the axis of a round face…',
      run: () => pick('joint-axis'),
      enabled: canMove,
    },
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
  ]
}

/** Lets the person choose files to bring in; the workspace listens to the input. */
const chooseFiles = () => document.querySelector<HTMLInputElement>('#files-to-bring')?.click()
