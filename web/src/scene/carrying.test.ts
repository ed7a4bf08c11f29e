import { type Object3D, Scene } from 'three'
import { describe, expect, it, vi } from 'vitest'

import { Bodies } from './bodies'
import { Cameras } from './cameras'
import { Carrying } from './carrying'
import { palettes } from './look'

const pose = (x: number) => [x, 0, 0, 0, 0, 0, 1]

/** A coordinate system that moves along the path, in the hand, taken along by 5 m. */
function taken() {
  const cameras = new Cameras()
  const bodies = new Bodies([], [pose(0), pose(1)], [1], [])
  cameras.bodies = bodies
  const carrying = new Carrying(new Scene(), cameras, () => palettes.light, vi.fn())
  const grip = { mode: 'move' as const, at: pose(1), size: 1, nodes: [1] }
  const [moved, placed] = [vi.fn(), vi.fn()]
  carrying.set(grip, bodies, { moved, placed })
  const { handles } = carrying as unknown as {
    handles: { controls: { dispatchEvent: (event: object) => void }; proxy: Object3D }
  }
  handles.proxy.position.x += 5
  handles.proxy.updateMatrixWorld(true)
  handles.controls.dispatchEvent({ type: 'objectChange' })
  const stands = () => bodies.nodes[1]!.matrix.elements[12]
  return { carrying, bodies, moved, stands }
}

describe('what is carried', () => {
  it('goes along, and stays in the hand when it is put where it stands on the path', () => {
    const { carrying, bodies, moved, stands } = taken()
    expect(moved).toHaveBeenCalledOnce()
    expect(stands()).toBeCloseTo(6, 9)
    bodies.setPoses([1], [pose(1)])
    carrying.again()
    expect(stands()).toBeCloseTo(6, 9)
  })

  it('is where the cell says once that is told, and goes along no more', () => {
    const { carrying, bodies, stands } = taken()
    bodies.setRest([pose(0), pose(2)])
    carrying.leave()
    bodies.setPoses([1], [pose(3)])
    carrying.again()
    expect(stands()).toBeCloseTo(3, 9)
  })

  it('is let go with its handles', () => {
    const { carrying, bodies, stands } = taken()
    carrying.set(null, bodies, {})
    bodies.setPoses([1], [pose(1)])
    carrying.again()
    expect(stands()).toBeCloseTo(1, 9)
  })
})
