import { Box3, Group, type Mesh, Vector3 } from 'three'
import { describe, expect, it } from 'vitest'

import { Ground, gridPitch } from './ground'
import { palettes } from './look'

describe('the spacing of the grid', () => {
  it('is round: one, two or five of something', () => {
    for (let width = 0.05; width < 900; width *= 1.37) {
      const digits = gridPitch(width).toExponential()[0]
      expect(['1', '2', '5']).toContain(digits)
    }
  })

  it('gives between ten and thirty lines across the picture', () => {
    for (let width = 0.05; width < 900; width *= 1.37) {
      const lines = width / gridPitch(width)
      expect(lines).toBeGreaterThan(9)
      expect(lines).toBeLessThanOrEqual(24)
    }
  })
})

describe('the floor', () => {
  const show = { grid: true, shadow: true }
  function made() {
    const ground = new Ground()
    ground.setPalette(palettes.light)
    ground.setBounds(new Box3(new Vector3(-3, -2, 0), new Vector3(5, 2, 3)))
    const [grid, side, shadow] = ground.group.children as Mesh[]
    return { ground, grid: grid!, side: side!, shadow: shadow! }
  }

  it('lies under what is there, a little below, and reaches beyond it', () => {
    const { shadow } = made()
    expect(shadow.position.x).toBeCloseTo(1, 9)
    expect(shadow.position.z).toBeLessThan(0)
    expect(shadow.scale.x).toBeGreaterThan(8)
  })

  it('throws shadows of all of it: the sun sees the whole box', () => {
    const { ground } = made()
    const { camera } = ground.sun.shadow
    ground.sun.updateMatrixWorld()
    ground.sun.target.updateMatrixWorld()
    ground.sun.shadow.updateMatrices(ground.sun)
    for (const x of [-3, 5])
      for (const y of [-2, 2])
        for (const z of [0, 3]) {
          const seen = new Vector3(x, y, z).project(camera)
          for (const along of seen.toArray()) expect(Math.abs(along)).toBeLessThanOrEqual(1)
        }
  })

  it('has lines that stand still while the pivot moves within a coarse one', () => {
    const { ground, grid } = made()
    ground.use(10, new Vector3(0.1, 0.1, 0), show)
    const before = grid.position.clone()
    ground.use(10, new Vector3(0.9, -0.8, 0), show)
    expect(grid.position.equals(before)).toBe(true)
    ground.use(10, new Vector3(9.9, 0, 0), show)
    expect(grid.position.x).toBeCloseTo(10, 9)
  })

  it('shows grid and shadow each only if asked', () => {
    const { ground, grid, side, shadow } = made()
    ground.use(10, new Vector3(), { grid: false, shadow: true })
    expect([grid.visible, side.visible, shadow.visible]).toEqual([false, false, true])
    ground.use(10, new Vector3(), { grid: true, shadow: false })
    expect([grid.visible, side.visible, shadow.visible]).toEqual([true, true, false])
  })

  it('is one group, for the scene to take', () => {
    expect(made().ground.group).toBeInstanceOf(Group)
  })
})
