import { describe, expect, it } from 'vitest'

import { flatOf, matrixOf } from './poses'

describe('poses', () => {
  it.each([[[0, 0, 0, 0, 0, 0, 1]], [[0.5, -0.2, 1, 0, 0, Math.SQRT1_2, Math.SQRT1_2]]])(
    'are read and written as the server does: %j',
    (pose) => {
      flatOf(matrixOf(pose)).forEach((x, i) => expect(x).toBeCloseTo(pose[i]!, 12))
    },
  )

  it('turn and then shift', () => {
    // A quarter turn about Z takes X to Y.
    const { elements } = matrixOf([1, 2, 3, 0, 0, Math.SQRT1_2, Math.SQRT1_2])
    ;[0, 1, 0].forEach((x, i) => expect(elements[i]!).toBeCloseTo(x, 12))
    expect(elements.slice(12, 15)).toEqual([1, 2, 3])
  })
})
