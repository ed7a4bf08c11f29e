import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'

import type { Cell } from '../api/client'
import { freshStores } from '../testing/freshStores'
import { asked, begin, Refusal, settled } from '../testing/standIn'
import { useCell } from '../cell/cellStore'
import { useImport } from './importStore'

const STATE = 'GET /api/imports/{id}'
const STORE = 'POST /api/imports/{id}/store'

/** A request that goes as the test says. */
class Sending {
  static all: Sending[] = []
  upload = {} as { onprogress: (e: { loaded: number; total: number }) => void }
  url = ''
  status = 202
  response: unknown = null
  onload = () => {}
  onerror = () => {}
  onabort = () => {}
  constructor() {
    Sending.all.push(this)
  }
  open(_: string, url: string) {
    this.url = url
  }
  send() {}
  abort() {
    this.onabort()
  }
  arrive(id: string) {
    this.response = { id }
    this.onload()
  }
}

const thing = (file: string, more: object = {}) => ({
  file,
  name: file.replace('.stl', ''),
  role: 'part',
  unit: 'mm',
  up: 'z',
  ...more,
})
const dropped = (...paths: string[]) =>
  paths.map((path) => ({ path, file: new File([path], path) }))

describe('files on their way in', () => {
  let state: object

  beforeEach(() => {
    freshStores()
    Sending.all = []
    vi.stubGlobal('XMLHttpRequest', Sending)
    state = { state: 'things', found: [thing('post.stl'), thing('bad.stl', { problem: 'no' })] }
    begin({ [STATE]: () => state, 'DELETE /api/imports/{id}': () => ({}) })
  })
  afterEach(() => vi.unstubAllGlobals())

  async function brought(...paths: string[]) {
    const bringing = useImport()
    const going = bringing.bring(dropped(...paths))
    Sending.all.at(-1)!.arrive('i1')
    await going
    return bringing
  }

  it('are shown before anything is stored; what can not be read is not taken', async () => {
    const bringing = useImport()
    const going = bringing.bring(dropped('cell/post.stl', 'cell/bad.stl'))
    const sending = Sending.all[0]!
    sending.upload.onprogress({ loaded: 25, total: 100 })
    expect([sending.url, bringing.open, bringing.sent]).toEqual(['/api/imports', true, 0.25])
    sending.arrive('i1')
    await going
    expect(bringing.taken.map((c) => c.name)).toEqual(['post'])
    expect([bringing.into, bringing.name, bringing.ready]).toEqual(['new', 'cell', true])
    bringing.name = ' '
    expect(bringing.ready).toBe(false)
  })

  it('go into the open cell if there is one', async () => {
    const document = { items: [{ id: 'table', name: 'Table' }] }
    useCell().cell = { id: 'c', revision: 7, document } as unknown as Cell
    const bringing = await brought('post.stl')
    begin({ [STORE]: () => ({ cell: 'c', items: ['post'] }) })
    bringing.chosen[0]!.parent = 'table'
    expect(await bringing.store()).toEqual({ cell: 'c', items: ['post'] })
    expect(asked[0]!.body).toEqual({
      into: { cell: { id: 'c', base_revision: 7 } },
      choices: [
        {
          file: 'post.stl',
          name: 'post',
          role: 'part',
          unit: 'mm',
          up: 'z',
          colour: null,
          geometry: 'visual',
          with_tcp: false,
          recording: null,
          parent: 'table',
        },
      ],
    })
    bringing.close()
    expect([bringing.open, bringing.chosen]).toEqual([false, []])
  })

  it('keep what was chosen when more come, and take what has become readable', async () => {
    const bringing = await brought('post.stl', 'bad.stl')
    bringing.chosen[0]!.name = 'Pillar'
    state = { state: 'things', found: [thing('post.stl'), thing('bad.stl'), thing('new.stl')] }
    const going = bringing.bring(dropped('new.stl'), true)
    expect(Sending.all.at(-1)!.url).toBe('/api/imports/i1/files')
    Sending.all.at(-1)!.arrive('i2')
    await going
    expect(bringing.taken.map((c) => c.name)).toEqual(['Pillar', 'bad', 'new'])
  })

  it('say why nothing of them can be used, and why nothing was stored', async () => {
    state = { state: 'refused', reason: 'post.stl: the file is empty' }
    const bringing = await brought('post.stl')
    expect(bringing.failed).toBe('Nothing was brought in. Post.stl: the file is empty.')
    expect(bringing.ready).toBe(false)
    begin({ [STORE]: () => new Refusal(409, 'it was changed meanwhile') })
    expect(await bringing.store()).toBeNull()
    expect(bringing.failed).toBe('Nothing was brought in. it was changed meanwhile')
    expect(bringing.open).toBe(true)
  })

  it('are refused by the server in its own words, or by silence in ours', async () => {
    const bringing = useImport()
    const refused = bringing.bring(dropped('a.stl'))
    Sending.all[0]!.response = { detail: 'together that is more than 1 GiB' }
    Sending.all[0]!.onload()
    await refused
    expect(bringing.failed).toBe('Nothing was brought in. together that is more than 1 GiB')
    const silent = bringing.bring(dropped('a.stl'))
    Sending.all[1]!.onerror()
    await silent
    expect(bringing.failed).toContain('does not answer')
  })

  it('are stopped on the way, and forgotten', async () => {
    const bringing = useImport()
    const going = bringing.bring(dropped('a.stl'))
    await bringing.stop()
    await going
    expect([bringing.open, bringing.failed, asked]).toEqual([false, '', []])

    const done = await brought('post.stl')
    await done.stop()
    await settled()
    expect(asked.at(-1)).toMatchObject({ what: 'DELETE /api/imports/{id}', id: 'i1' })
  })

  it('are nothing when nothing was dropped', async () => {
    const bringing = useImport()
    await bringing.bring([])
    expect([bringing.open, Sending.all.length]).toEqual([false, 0])
  })
})
