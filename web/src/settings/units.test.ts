import { describe, expect, it } from 'vitest'

import { parseAngle, parseLength } from './unitKinds'

describe('a length typed into a field', () => {
  it.each([
    ['12.5', 0, 'mm', 12.5],
    ['12,5', 0, 'mm', 12.5],
    ['-3', 10, 'mm', -3],
    ['−3', 10, 'mm', -3],
    ['+12.5', 100, 'mm', 112.5],
    ['+-12.5', 100, 'mm', 87.5],
    ['2', 0, 'inch', 50.8],
    ['2 mm', 0, 'inch', 2],
    ['1in', 0, 'mm', 25.4],
    ['+ 1 m', 5, 'cm', 1005],
    ['.5', 0, 'cm', 5],
    ['1e2', 0, 'mm', 100],
  ] as const)('%s from %d in %s is %d mm', (text, now, unit, mm) => {
    expect(parseLength(text, now, unit)).toBeCloseTo(mm, 9)
  })
  it.each(['', 'twelve', '1 2', '12 furlongs', '1..2', '--1', '+', 'NaN', 'Infinity'])(
    '%s is refused',
    (text) => {
      expect(parseLength(text, 0, 'mm')).toBeNull()
    },
  )
})

describe('an angle typed into a field', () => {
  it.each([
    ['90', 0, 'deg', 90],
    ['+90', 45, 'deg', 135],
    ['1 rad', 0, 'deg', 180 / Math.PI],
    ['90°', 0, 'rad', 90],
  ] as const)('%s from %d in %s is %d°', (text, now, unit, deg) => {
    expect(parseAngle(text, now, unit)).toBeCloseTo(deg, 9)
  })
  it('takes no lengths', () => expect(parseAngle('3 mm', 0, 'deg')).toBeNull())
})
