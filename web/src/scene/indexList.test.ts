import { BufferAttribute, BufferGeometry } from 'three'
import { describe, expect, it } from 'vitest'

import { IndexList } from './indexList'

function list(corners = 100) {
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(corners * 3), 3))
  return { of: geometry, list: new IndexList(geometry) }
}
const drawn = ({ geometry }: IndexList) =>
  [...geometry.index!.array].slice(0, geometry.drawRange.count)

describe('a list of what is drawn', () => {
  it('shares the corners of the geometry it was made of', () => {
    const { of, list: made } = list()
    expect(made.geometry.getAttribute('position')).toBe(of.getAttribute('position'))
  })

  it('draws what was added, each so many farther on', () => {
    const { list: made } = list()
    made.add([0, 1, 2], 10)
    made.push(7, 8)
    made.addAll(20, 3)
    made.done()
    expect(drawn(made)).toEqual([10, 11, 12, 7, 8, 20, 21, 22])
  })

  it('draws only what was added since it was cleared', () => {
    const { list: made } = list()
    made.addAll(0, 50)
    made.done()
    made.clear()
    expect(made.empty).toBe(true)
    made.push(3, 4)
    made.done()
    expect(made.empty).toBe(false)
    expect(drawn(made)).toEqual([3, 4])
  })

  it('grows without losing what it holds, and tells the card only when it is done', () => {
    const { list: made } = list()
    const many = Array.from({ length: 9000 }, (_, i) => i % 100)
    made.push(99, 98)
    made.add(many, 0)
    expect(made.geometry.index).toBeNull()
    made.done()
    expect(drawn(made).slice(0, 4)).toEqual([99, 98, 0, 1])
    expect(made.geometry.drawRange.count).toBe(9002)
    expect(made.geometry.index!.updateRanges).toEqual([{ start: 0, count: 9002 }])
  })

  it('keeps its buffer from one time to the next while there is room', () => {
    const { list: made } = list()
    made.addAll(0, 40)
    made.done()
    const buffer = made.geometry.index
    made.clear()
    made.addAll(0, 60)
    made.done()
    expect(made.geometry.index).toBe(buffer)
  })
})
