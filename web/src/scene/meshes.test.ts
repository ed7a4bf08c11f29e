import { beforeEach, describe, expect, it, vi } from 'vitest'

import { loadMeshes, prepareLevels } from './meshes'

const fetched: string[] = []
const files = new Map<string, ArrayBuffer>()
/** A mesh as the server sends it: a triangle with its three edges. */
function triangle(x: number): ArrayBuffer {
  const buffer = new ArrayBuffer(12 + 3 * 12 + 12 + 3 * 8)
  new Uint32Array(buffer, 0, 3).set([3, 1, 3])
  new Float32Array(buffer, 12, 9).set([x, 0, 0, x + 1, 0, 0, x, 1, 0])
  new Uint32Array(buffer, 48, 9).set([0, 1, 2, 0, 1, 1, 2, 2, 0])
  return buffer
}
/** Names have 64 letters. */
const named = (name: string) => name.padEnd(64, '0')
function packed(meshes: [string, ArrayBuffer][]): ArrayBuffer {
  const parts = meshes.map(([name, mesh]) => {
    const part = new Uint8Array(68 + mesh.byteLength)
    part.set([...name].map((letter) => letter.charCodeAt(0)))
    new DataView(part.buffer).setUint32(64, mesh.byteLength, true)
    part.set(new Uint8Array(mesh), 68)
    return part
  })
  const all = new Uint8Array(parts.reduce((n, part) => n + part.length, 0))
  let at = 0
  for (const part of parts) {
    all.set(part, at)
    at += part.length
  }
  return all.buffer
}
beforeEach(() => {
  fetched.length = 0
  files.clear()
  vi.stubGlobal('fetch', async (path: string) => {
    fetched.push(path)
    const file = files.get(path)
    if (!file)
      return new Response(JSON.stringify({ detail: `there is no ${path}` }), { status: 404 })
    return new Response(file)
  })
})

describe('meshes on their way to the picture', () => {
  it('are fetched once, however many bodies have them', async () => {
    files.set(`/api/cells/c/meshes/${named('a')}`, triangle(0))
    const bodies = [{ mesh: named('a') }, { mesh: named('a') }]
    const meshes = await loadMeshes('c', bodies)
    expect(meshes.get(named('a'))!.edges).toHaveLength(18)
    await loadMeshes('c', bodies)
    expect(fetched).toEqual([`/api/cells/c/meshes/${named('a')}`])
  })

  it('come together where there are many small ones, the others alone', async () => {
    const small = Array.from({ length: 70 }, (_, i) => named(`b${i}`))
    files.set('/api/cells/c/small-meshes', packed(small.map((name, i) => [name, triangle(i)])))
    files.set(`/api/cells/c/meshes/${named('large')}`, triangle(500))
    const bodies = [...small, named('large')].map((mesh) => ({ mesh }))
    const meshes = await loadMeshes('c', bodies)
    expect(fetched).toEqual(['/api/cells/c/small-meshes', `/api/cells/c/meshes/${named('large')}`])
    expect(meshes.get(named('b9'))!.box.min.x).toBeCloseTo(9, 6)
    expect(meshes.get(named('large'))!.ball.radius).toBeGreaterThan(0.5)
  })

  it('tell what is missing, and are tried again', async () => {
    const bodies = [{ mesh: named('gone') }]
    await expect(loadMeshes('c', bodies)).rejects.toThrow('there is no')
    files.set(`/api/cells/c/meshes/${named('gone')}`, triangle(0))
    expect((await loadMeshes('c', bodies)).has(named('gone'))).toBe(true)
  })

  it('are picked by a tree that is built when it is first asked for', async () => {
    files.set(`/api/cells/c/meshes/${named('t')}`, triangle(0))
    const mesh = (await loadMeshes('c', [{ mesh: named('t') }])).get(named('t'))!
    expect(mesh.tree).toBe(mesh.tree)
    expect(mesh.tree).not.toBeNull()
  })
})

describe('levels', () => {
  it('are made one mesh after the other; one that fails stays as it is', async () => {
    const sent: unknown[] = []
    let ended = 0
    class Stand {
      onmessage: ((e: { data: unknown }) => void) | null = null
      onerror: ((e: { preventDefault(): void }) => void) | null = null
      postMessage(full: unknown) {
        sent.push(full)
        queueMicrotask(() =>
          sent.length === 1
            ? this.onerror!({ preventDefault: () => undefined })
            : this.onmessage!({ data: [{ error: 1, faces: [], edges: [] }] }),
        )
      }
      terminate() {
        ended++
      }
    }
    vi.stubGlobal('Worker', Stand)
    files.set(`/api/cells/c/meshes/${named('x')}`, triangle(0))
    files.set(`/api/cells/c/meshes/${named('y')}`, triangle(1))
    const names = [named('x'), named('y')]
    const meshes = await loadMeshes(
      'c',
      names.map((mesh) => ({ mesh })),
    )
    const mine = names.map((name) => meshes.get(name)!)
    prepareLevels([...mine, mine[0]!])
    await vi.waitFor(() => expect(ended).toBe(1))
    expect(mine.map((mesh) => mesh.levels?.length)).toEqual([0, 1])
    expect(sent).toHaveLength(2)
    prepareLevels(mine)
    expect(sent).toHaveLength(2)
    vi.unstubAllGlobals()
  })
})
