import { describe, expect, it } from 'vitest'

import { Pace } from './pace'

const take = (pace: Pace, ...frames: number[]) => frames.forEach((ms) => pace.took(ms))

describe('the pace of a moving picture', () => {
  it('draws fewer pixels when frames take long, but never less than half of them each way', () => {
    const pace = new Pace()
    const before = pace.ratio
    take(pace, 300, 300)
    expect(pace.ratio).toBeLessThan(before)
    take(pace, 300, 300, 300, 300)
    expect(pace.ratio).toBe(0.5)
  })

  it('does not mind a single long frame, as while shaders are made', () => {
    const pace = new Pace()
    const before = pace.ratio
    take(pace, 900, 60, 900, 60)
    expect(pace.ratio).toBe(before)
  })

  it('draws all pixels once frames were short for a while', () => {
    const pace = new Pace()
    take(pace, 20, 20, 20, 20, 20)
    expect(pace.ratio).toBeLessThan(1)
    take(pace, 20)
    expect(pace.ratio).toBe(1)
  })

  it('stays as it is when short frames and middling ones take turns', () => {
    const pace = new Pace()
    const before = pace.ratio
    for (let i = 0; i < 40; i++) take(pace, 20, 60)
    expect(pace.ratio).toBe(before)
  })
})
