import { Matrix4, Mesh, Ray, type ShaderMaterial, Vector3 } from 'three'
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js'
import { describe, expect, it } from 'vitest'

import type { Schemas } from '../api/client'
import { hatchingOf } from './hatching'
import { Cut, type Cuts, NO_CUTS } from './cut'

const palette = { paper: '#ffffff', ink: '#000000' }
const section: Cuts = {
  ...NO_CUTS,
  sections: [{ point_mm: [0, 0, 500], normal: [0, 0, 2] }],
}
const numbers = { section: 0, plane: 0, normal: [0, 0, 1], perimeter_mm: 40, hatch: 0 }
const square: Schemas['SectionFaces'] = {
  area_mm2: 100,
  overlaps: [],
  overlaps_complete: true,
  faces: [
    {
      ...numbers,
      item: 'block',
      area_mm2: 100,
      triangles: [[0, 1, 2]],
      outlines_mm: [
        [
          [0, 0, 500],
          [10, 0, 500],
          [0, 10, 500],
        ],
      ],
      open_mm: [
        [
          [20, 0, 500],
          [30, 0, 500],
        ],
      ],
    },
  ],
}

const isLines = (o: unknown) => o instanceof LineSegments2
const filledOf = (cut: Cut) => cut.group.children.filter((c) => !isLines(c)) as Mesh[]
const startsOf = (cut: Cut) =>
  (cut.group.children.find(isLines) as Mesh).geometry.getAttribute('instanceStart')

describe('a cut', () => {
  it('takes away what lies on the side of its normal', () => {
    const cut = new Cut()
    cut.set(section, null, [], () => '#808080', palette)
    const [plane] = cut.cutaway.planes
    expect(plane!.distanceToPoint(new Vector3(0, 0, 0.4))).toBeCloseTo(0.1, 9)
    expect(plane!.distanceToPoint(new Vector3(0, 0, 0.6))).toBeCloseTo(-0.1, 9)
  })

  it('fills its faces and draws their outlines, closed where they are', () => {
    const cut = new Cut()
    const asked: string[] = []
    const colourOf = (item: string) => {
      asked.push(item)
      return '#ff0000'
    }
    cut.set(section, square, [], colourOf, palette)
    expect(asked).toEqual(['block'])
    const faces = filledOf(cut)
    expect(faces.length).toBe(1)
    // Three sides of the triangle, and the line that is open.
    expect(startsOf(cut).count).toBe(4)
    const { tint } = (faces[0]!.material as ShaderMaterial).uniforms
    expect(tint!.value.r).toBeGreaterThan(tint!.value.g)
  })

  it('is coloured anew when other things are selected', () => {
    const cut = new Cut()
    cut.set(section, square, [], () => '#808080', palette)
    cut.tint((item) => (item === 'block' ? '#0000ff' : '#808080'), palette)
    const { tint } = (filledOf(cut)[0]!.material as ShaderMaterial).uniforms
    expect(tint!.value.b).toBeGreaterThan(tint!.value.r)
  })

  it('draws outlines a hair before their face, on the side of the eye', () => {
    const cut = new Cut()
    cut.set(section, square, [], () => '#808080', palette)
    const z = startsOf(cut).getZ(0)
    expect(z).toBeGreaterThan(0.5)
    expect(z).toBeLessThan(0.501)
  })

  it('is met by a ray through a face, with the item it is of', () => {
    const cut = new Cut()
    cut.set(section, square, [], () => '#808080', palette)
    const down = (x: number) => new Ray(new Vector3(x, 0.002, 2), new Vector3(0, 0, -1))
    const [hit] = cut.hits(down(0.002))
    expect([hit!.item, hit!.cut]).toEqual(['block', true])
    expect(hit!.at[2]).toBeCloseTo(500, 3)
    expect(cut.hits(down(0.02))).toEqual([])
  })

  it('rides with the frame it is fixed to', () => {
    const cut = new Cut()
    const [first] = section.sections
    const fixed = { ...section, sections: [{ ...first!, fixed_to: 'tcp' }], nodeOf: () => 1 }
    const frames = (z: number) => [
      { matrix: new Matrix4() },
      { matrix: new Matrix4().makeTranslation(0, 0, z) },
    ]
    cut.set(fixed, null, frames(1), () => '#808080', palette)
    const at = new Vector3(0, 0, 1.4)
    expect([cut.rides, cut.cutaway.keeps(at)]).toEqual([true, true])
    cut.stand(frames(0.8))
    expect(cut.cutaway.keeps(at)).toBe(false)
  })

  it('crosses the hatching where two bodies overlap', () => {
    const cut = new Cut()
    const [face] = square.faces
    const both = { ...face!, items: ['block', 'pin'] }
    cut.set(section, { ...square, overlaps: [both] }, [], () => '#808080', palette)
    const crossed = filledOf(cut).map((m) => (m.material as ShaderMaterial).uniforms.crossed!.value)
    expect(crossed).toEqual([false, true])
  })

  it('hatches neighbours in other directions or spacings', () => {
    const of = [0, 1, 2, 3, 4, 5].map((n) => JSON.stringify(hatchingOf(n)))
    expect(new Set(of).size).toBe(6)
    expect(hatchingOf(6)).toEqual(hatchingOf(0))
  })

  it('leaves nothing behind when it is taken off or moved', () => {
    const cut = new Cut()
    cut.set(section, square, [], () => '#808080', palette)
    let gone = 0
    for (const child of cut.group.children as Mesh[])
      child.geometry.addEventListener('dispose', () => gone++)
    cut.set(NO_CUTS, square, [], () => '#808080', palette)
    expect([cut.group.children.length, cut.cutaway.pieces.length, gone]).toEqual([0, 0, 2])
  })
})
