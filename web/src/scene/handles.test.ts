import { type Object3D, OrthographicCamera, PerspectiveCamera, Scene, type Vector3 } from 'three'
import { describe, expect, it, vi } from 'vitest'

import { matrixOf } from './poses'
import { Handles } from './handles'

const colours = ['#ff0000', '#00ff00', '#0000ff', '#ff00ff'] as [string, string, string, string]
function made() {
  const [scene, camera, changed] = [new Scene(), new PerspectiveCamera(), vi.fn()]
  const handles = new Handles(scene, camera, colours, vi.fn(), vi.fn(), changed)
  return { scene, camera, handles, changed }
}
const grip = { mode: 'move' as const, at: matrixOf([1, 2, 3, 0, 0, 0, 1]), size: 1 }

describe('handles', () => {
  it('stand in the scene while they are shown', () => {
    const { scene, handles } = made()
    expect(handles.shown).toBe(false)
    handles.set(grip)
    expect(handles.shown).toBe(true)
    expect(scene.children).toContain(handles.object)
    handles.set(null)
    expect(handles.shown).toBe(false)
    expect(scene.children).not.toContain(handles.object)
  })

  it('put back what was dragged when they are taken away meanwhile', () => {
    const moved = vi.fn()
    const handles = new Handles(
      new Scene(),
      new PerspectiveCamera(),
      colours,
      moved,
      vi.fn(),
      vi.fn(),
    )
    handles.set(grip)
    const { controls, proxy } = handles as unknown as {
      controls: {
        dragging: boolean
        axis: string | null
        _positionStart: Vector3
        _scaleStart: Vector3
      }
      proxy: Object3D
    }
    Object.assign(controls, { dragging: true, axis: 'X' })
    controls._positionStart.copy(proxy.position)
    controls._scaleStart.copy(proxy.scale)
    proxy.position.x += 5
    handles.cancel()
    expect([handles.dragging, proxy.position.x]).toEqual([false, 1])
    expect(moved.mock.lastCall![0].elements[12]).toBeCloseTo(0, 12)
  })

  it('ask for no new picture when panes of two kinds are drawn in turn', () => {
    const { camera, handles, changed } = made()
    handles.set(grip)
    changed.mockClear()
    const parallel = new OrthographicCamera()
    for (let frame = 0; frame < 5; frame++) for (const of of [camera, parallel]) handles.look(of)
    expect(changed).not.toHaveBeenCalled()
  })
})
