/** Which movement a gesture of the hand makes. */

export type Movement =
  | 'select'
  | 'turn'
  | 'turn-bearing'
  | 'turn-elevation'
  | 'move'
  | 'nearer'
  | 'look'
  | 'roll'
  | 'fit-rectangle'

/** Button with modifiers, as `Shift+Right`: what it does while dragged. */
export type Gestures = Record<string, Movement>

export const movementNames: Record<Movement, string> = {
  select: 'Select; drag draws a rectangle',
  turn: 'Turn round',
  'turn-bearing': 'Turn, bearing only',
  'turn-elevation': 'Turn, elevation only',
  move: 'Move sideways',
  nearer: 'Come nearer or go back',
  look: 'Look round from where one stands',
  roll: 'Roll',
  'fit-rectangle': 'Fit a drawn rectangle',
}

/** For the status line. */
export const movementVerbs: Record<Movement, string> = {
  select: 'selects',
  turn: 'turns',
  'turn-bearing': 'turns level',
  'turn-elevation': 'tilts',
  move: 'moves',
  nearer: 'comes nearer',
  look: 'looks round',
  roll: 'rolls',
  'fit-rectangle': 'fits a rectangle',
}

const always: Gestures = {
  Left: 'select',
  'Ctrl+Left': 'select',
  'Ctrl+Shift+Left': 'fit-rectangle',
}
const oneButton: Gestures = {
  'Alt+Left': 'turn',
  'Shift+Left': 'move',
  'Ctrl+Alt+Left': 'nearer',
  'Alt+Shift+Left': 'look',
}

/** Ready-made sets, described by what the hand does. */
export const schemes: { id: string; name: string; gestures: Gestures }[] = [
  {
    id: 'right-turns',
    name: 'Right button turns, middle button moves',
    gestures: {
      ...always,
      ...oneButton,
      Right: 'turn',
      'Shift+Right': 'turn-bearing',
      'Ctrl+Right': 'turn-elevation',
      'Alt+Right': 'roll',
      Middle: 'move',
      'Shift+Middle': 'nearer',
      'Ctrl+Middle': 'look',
    },
  },
  {
    id: 'middle-turns',
    name: 'Middle button turns, right button moves',
    gestures: {
      ...always,
      ...oneButton,
      Middle: 'turn',
      'Shift+Middle': 'turn-bearing',
      'Ctrl+Middle': 'turn-elevation',
      'Alt+Middle': 'roll',
      Right: 'move',
      'Shift+Right': 'nearer',
      'Ctrl+Right': 'look',
    },
  },
  {
    id: 'left-turns',
    name: 'Left button turns, right button moves; a left click selects',
    gestures: {
      ...always,
      Left: 'turn',
      'Shift+Left': 'move',
      'Alt+Left': 'select',
      'Ctrl+Alt+Left': 'nearer',
      'Alt+Shift+Left': 'look',
      Right: 'move',
      'Shift+Right': 'nearer',
      'Ctrl+Right': 'turn-bearing',
      Middle: 'turn',
      'Shift+Middle': 'roll',
    },
  },
  {
    id: 'one-button',
    name: 'One button: Alt turns, Shift moves, Ctrl+Alt comes nearer',
    gestures: { ...always, ...oneButton },
  },
]

const BUTTONS = ['Left', 'Middle', 'Right']

/** The gesture of a pointer event, as the table writes it. */
export function gestureOf(
  e: Pick<MouseEvent, 'button' | 'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey'>,
): string {
  return [
    (e.ctrlKey || e.metaKey) && 'Ctrl',
    e.altKey && 'Alt',
    e.shiftKey && 'Shift',
    BUTTONS[e.button] ?? `Button ${e.button + 1}`,
  ]
    .filter(Boolean)
    .join('+')
}

/** While the look key is held the plain left button navigates. */
export const heldGestures: Gestures = {
  Left: 'turn',
  'Shift+Left': 'move',
  'Ctrl+Left': 'nearer',
  'Alt+Left': 'look',
}
