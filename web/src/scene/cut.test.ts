import { Line, Mesh, type ShaderMaterial, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import type { Schemas } from '../api/client'
import { Cut } from './cut'

const palette = { paper: '#ffffff', ink: '#000000' }
const section = { point_mm: [0, 0, 500], normal: [0, 0, 2] }
const square: Schemas['SectionFaces'] = {
  area_mm2: 100,
  faces: [
    {
      item: 'block',
      area_mm2: 100,
      triangles_mm: [
        [0, 0, 500],
        [10, 0, 500],
        [0, 10, 500],
      ],
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

describe('a cut', () => {
  it('takes away what lies on the side of its normal', () => {
    const cut = new Cut()
    cut.set(section, null, () => '#808080', palette)
    const [plane] = cut.planes
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
    cut.set(section, square, colourOf, palette)
    expect(asked).toEqual(['block'])
    const faces = cut.group.children.filter((c) => c instanceof Mesh)
    const lines = cut.group.children.filter((c) => c instanceof Line)
    expect([faces.length, lines.length]).toEqual([1, 2])
    expect(lines.map((l) => l.geometry.getAttribute('position').count)).toEqual([4, 2])
    const { tint } = (faces[0]!.material as ShaderMaterial).uniforms
    expect(tint!.value.r).toBeGreaterThan(tint!.value.g)
  })

  it('draws outlines a hair before their face, on the side of the eye', () => {
    const cut = new Cut()
    cut.set(section, square, () => '#808080', palette)
    const line = cut.group.children.find((c) => c instanceof Line)!
    const z = line.geometry.getAttribute('position').getZ(0)
    expect(z).toBeGreaterThan(0.5)
    expect(z).toBeLessThan(0.501)
  })

  it('leaves nothing behind when it is taken off or moved', () => {
    const cut = new Cut()
    cut.set(section, square, () => '#808080', palette)
    let gone = 0
    for (const child of cut.group.children as Mesh[])
      child.geometry.addEventListener('dispose', () => gone++)
    cut.set(null, square, () => '#808080', palette)
    expect([cut.group.children.length, cut.planes.length, gone]).toEqual([0, 0, 3])
  })
})
