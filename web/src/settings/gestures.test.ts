import { describe, expect, it } from 'vitest'

import { gestureOf, movementNames, schemes } from './gestures'
import { viewOfStroke } from '../picture/heldDial'

const event = (button: number, ...held: ('ctrlKey' | 'altKey' | 'shiftKey')[]) => ({
  button,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  shiftKey: false,
  ...Object.fromEntries(held.map((h) => [h, true])),
})

describe('gestures', () => {
  it.each([
    [event(0), 'Left'],
    [event(2, 'shiftKey'), 'Shift+Right'],
    [event(1, 'ctrlKey', 'altKey'), 'Ctrl+Alt+Middle'],
    [event(3), 'Button 4'],
  ])('are written the same however the keys are held', (e, written) =>
    expect(gestureOf(e)).toBe(written),
  )

  it.each(schemes)('of every scheme turn, move, come nearer and select: $name', ({ gestures }) => {
    const does = new Set(Object.values(gestures))
    for (const needed of ['turn', 'move', 'nearer', 'select'] as const)
      expect(does.has(needed)).toBe(true)
    for (const movement of does) expect(movementNames[movement]).toBeTruthy()
  })

  it('the scheme for one button needs no other', () => {
    expect(
      Object.keys(schemes.find((s) => s.id === 'one-button')!.gestures).every((g) =>
        g.endsWith('Left'),
      ),
    ).toBe(true)
  })
})

describe('the dial at the pointer', () => {
  it.each([
    [0, 40, 'front'],
    [0, -40, 'back'],
    [40, 0, 'right'],
    [-40, 0, 'left'],
    [30, 30, 'front-right'],
    [-30, -30, 'back-left'],
    [0, -120, 'top'],
    [20, 120, 'bottom'],
    [3, 3, null],
  ])('a stroke of %i, %i picks %s', (x, y, view) => expect(viewOfStroke(x, y)).toBe(view))
})
