import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, type Schemas } from '../api/client'
import { useCell } from '../cell/cellStore'
import { sentence } from '../cell/noticesStore'
import { type Candidate, type RecordingChoice, guessedChoice } from './recordings'

export type Found = Schemas['Found']
type State = Schemas['ImportState']
/** What is made of something found; `take` says whether it is brought in. */
export interface Chosen extends Required<
  Pick<Schemas['Choice'], 'file' | 'name' | 'role' | 'unit' | 'up'>
> {
  take: boolean
  parent: string
  colour: string | null
  geometry: Schemas['LinkGeometry']
  /** Whether a robot gets a TCP at its flange. */
  with_tcp: boolean
  /** What a recorded motion moves. */
  recording: RecordingChoice | null
}
export interface Dropped {
  path: string
  file: File
}

/** More joints than this make an arm. */
const ARM = 3

/** Files on their way in: uploaded, looked through, shown, and stored only when asked. */
export const useImport = defineStore('import', () => {
  const cell = useCell()
  const open = ref(false)
  const id = ref<string | null>(null)
  const state = shallowRef<State | null>(null)
  /** Share of the upload that has arrived. */
  const sent = ref(0)
  const failed = ref('')
  const storing = ref(false)
  const chosen = ref<Chosen[]>([])
  const name = ref('')
  /** Into the open cell, or a new one. */
  const into = ref<'cell' | 'new'>('new')
  let request: XMLHttpRequest | null = null

  const found = computed(() => (state.value?.state === 'things' ? state.value.found : []))
  const taken = computed(() => chosen.value.filter((c) => c.take))
  /** What something may hang on: what is there, and robots that come along. */
  const carriers = computed(() => {
    const along = found.value.flatMap((f) => {
      const own = chosen.value.find((c) => c.file === f.file)
      return f.kind === 'robot' && own?.take ? [{ id: f.file, name: `${own.name}, flange` }] : []
    })
    const there = into.value === 'cell' ? [...cell.items.values()] : []
    return [...along, ...there.map(({ id, name }) => ({ id, name }))]
  })
  /** Mechanisms that a recorded motion may move: what comes along, and what is there. */
  const candidates = computed<Candidate[]>(() => {
    const along = found.value.flatMap((f) => {
      const own = chosen.value.find((c) => c.file === f.file)
      const comes = f.kind === 'robot' && own?.take
      return comes ? [{ robot: f.file, name: own.name, joints: f.joint_names }] : []
    })
    if (into.value !== 'cell' || !cell.cell) return along
    const there = new Map<string, Candidate>()
    for (const { item, name, turns } of cell.cell.joints ?? []) {
      const known = there.get(item) ?? {
        robot: item,
        name: cell.items.get(item)?.name ?? item,
        joints: [],
      }
      known.joints.push({ name, turns })
      there.set(item, known)
    }
    return [...along, ...there.values()]
  })
  // A recorded motion moves something that is there; if that goes, something else.
  watch(candidates, (all) => {
    chosen.value.forEach((c, i) => {
      const recording = found.value[i]?.recording
      if (!recording || all.some((m) => m.robot === c.recording?.robot)) return
      c.recording = guessedChoice(recording, all)
    })
  })
  const isRecording = (c: Chosen) =>
    found.value.some((f) => f.file === c.file && f.kind === 'recording')
  const movesSomething = (c: Chosen) => !isRecording(c) || !!c.recording?.joints.length
  const ready = computed(
    () =>
      state.value?.state === 'package' ||
      (state.value?.state === 'things' &&
        taken.value.length > 0 &&
        taken.value.every(movesSomething) &&
        (into.value === 'cell' || name.value.trim() !== '')),
  )

  /** Sends files; resolves with the import's id. */
  function send(url: string, files: Dropped[]): Promise<string> {
    const form = new FormData()
    files.forEach(({ path, file }) => form.append('file', file, path))
    sent.value = 0
    return new Promise((resolve, reject) => {
      const xhr = (request = new XMLHttpRequest())
      xhr.open('POST', url)
      xhr.responseType = 'json'
      xhr.upload.onprogress = (e) => (sent.value = e.total ? e.loaded / e.total : 0)
      xhr.onload = () => {
        const said = xhr.response as { id?: string; detail?: string } | null
        if (said?.id) resolve(said.id)
        else reject(new Error(said?.detail ?? `The server answered ${xhr.status}.`))
      }
      xhr.onerror = () => reject(new Error('The server does not answer. Is it running?'))
      xhr.onabort = () => reject(new Error('stopped'))
      xhr.send(form)
    })
  }

  async function bring(files: Dropped[], more = false) {
    if (!files.length) return
    const url = more && id.value ? `/api/imports/${id.value}/files` : '/api/imports'
    if (!more) {
      into.value = cell.cell ? 'cell' : 'new'
      name.value = files[0]!.path.split('/')[0]!.replace(/\.[^.]*$/, '')
    }
    open.value = true
    failed.value = ''
    state.value = { state: 'reading', what: '', done: 0, total: 0 }
    try {
      id.value = await send(url, files)
      sent.value = 1
      await follow(id.value)
    } catch (e) {
      if ((e as Error).message !== 'stopped')
        failed.value = `Nothing was brought in. ${(e as Error).message}`
    }
  }
  async function follow(mine: string) {
    while (open.value && id.value === mine) {
      const now = await answer(api.GET('/api/imports/{id}', { params: { path: { id: mine } } }))
      if (id.value !== mine) return
      state.value = now
      if (now.state === 'refused') failed.value = `Nothing was brought in. ${sentence(now.reason)}`
      if (now.state === 'things') choose(now.found)
      if (now.state !== 'reading') return
      await new Promise((r) => setTimeout(r, 150))
    }
  }
  function choose(things: Found[]) {
    const before = new Map(chosen.value.map((c) => [c.file, c]))
    // A tool that comes with one robot most likely belongs on its flange.
    const robots = things.filter((f) => f.kind === 'robot' && f.role === 'robot')
    const flange = robots.length === 1 ? robots[0]!.file : ''
    chosen.value = things.map(
      (f) =>
        before.get(f.file) ?? {
          file: f.file,
          name: f.name,
          role: f.role,
          unit: f.unit,
          up: f.up,
          take: !f.problem,
          parent: f.role === 'tool' ? flange : '',
          colour: f.colour ?? null,
          geometry: 'visual' as const,
          // A track or a table has nothing to take to targets.
          with_tcp: f.kind === 'robot' && f.role === 'robot' && f.joints > ARM,
          recording: null,
        },
    )
    chosen.value.forEach((c, i) => (c.take &&= !things[i]!.problem))
    const again = things.map(
      (f, i) => !f.problem && before.has(f.file) && !before.get(f.file)!.take && chosen.value[i],
    )
    again.forEach((c) => c && (c.take = true))
  }
  async function stop() {
    request?.abort()
    const old = id.value
    close()
    if (old) await api.DELETE('/api/imports/{id}', { params: { path: { id: old } } })
  }
  function close() {
    open.value = false
    id.value = state.value = null
    chosen.value = []
    failed.value = ''
  }
  /**
   * Stores what is chosen; resolves with where it is now, or null when it was refused. Who asked
   * closes it then.
   */
  async function store(): Promise<Schemas['StoredImport'] | null> {
    storing.value = true
    try {
      const target =
        into.value === 'cell'
          ? { cell: { id: cell.cell!.id, base_revision: cell.cell!.revision } }
          : { new_cell: name.value }
      const choices = taken.value.map(
        ({ file, name, role, unit, up, parent, colour, geometry, with_tcp, recording }) => ({
          file,
          name,
          role,
          unit,
          up,
          colour,
          geometry,
          with_tcp,
          recording,
          parent: carriers.value.some((c) => c.id === parent) ? parent : null,
        }),
      )
      return await answer(
        api.POST('/api/imports/{id}/store', {
          params: { path: { id: id.value! } },
          body: { into: target, choices },
        }),
      )
    } catch (e) {
      failed.value = `Nothing was brought in. ${(e as Error).message}`
      return null
    } finally {
      storing.value = false
    }
  }

  return {
    open,
    id,
    state,
    sent,
    failed,
    storing,
    chosen,
    name,
    into,
    found,
    taken,
    candidates,
    carriers,
    ready,
    bring,
    stop,
    close,
    store,
  }
})
