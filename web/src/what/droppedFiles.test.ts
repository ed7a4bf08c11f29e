import { describe, expect, it } from 'vitest'

import { filesOfDrop } from './droppedFiles'

const file = (path: string) => ({
  isFile: true,
  fullPath: path,
  file: (done: (f: File) => void) => done(new File([path], path.split('/').at(-1)!)),
})
/** A folder that is read in portions of two, as browsers read in portions of a hundred. */
function folder(path: string, entries: object[]) {
  const createReader = () => {
    let at = 0
    return {
      readEntries: (done: (some: object[]) => void) => {
        done(entries.slice(at, at + 2))
        at += 2
      },
    }
  }
  return { isFile: false, fullPath: path, createReader }
}
const drop = (...entries: (object | null)[]) =>
  ({ items: entries.map((e) => ({ webkitGetAsEntry: () => e })) }) as unknown as DataTransfer

describe('files of a drop', () => {
  it('are those of all folders below, under their paths', async () => {
    const arm = folder('/arm', [
      file('/arm/arm.urdf'),
      folder(
        '/arm/meshes',
        [1, 2, 3, 4, 5].map((n) => file(`/arm/meshes/${n}.stl`)),
      ),
      file('/arm/arm.srdf'),
    ])
    const found = await filesOfDrop(drop(arm, file('/post.stl'), null))
    expect(found.map((f) => f.path)).toEqual([
      'arm/arm.urdf',
      ...[1, 2, 3, 4, 5].map((n) => `arm/meshes/${n}.stl`),
      'arm/arm.srdf',
      'post.stl',
    ])
    expect(await found[1]!.file.text()).toBe('/arm/meshes/1.stl')
  })

  it('are none of an empty folder, and a file that can not be read is told', async () => {
    expect(await filesOfDrop(drop(folder('/empty', [])))).toEqual([])
    const gone = {
      ...file('/gone.stl'),
      file: (_: unknown, fail: (e: Error) => void) => fail(new Error('gone')),
    }
    await expect(filesOfDrop(drop(gone))).rejects.toThrow('gone')
  })
})
