/** A stand-in for the server: what is asked of it, and what it answers. */
import { vi } from 'vitest'

/** A request: method and path as the API names them, with what went along. */
export interface Asked {
  what: string
  id?: string
  query?: Record<string, unknown>
  body?: unknown
}
type Answer = (asked: Asked) => unknown

/** A refusal, as the server sends it. */
export class Refusal {
  constructor(
    readonly status: number,
    readonly detail: string,
  ) {}
}

/** All that was asked since the last `begin`, in order. */
export const asked: Asked[] = []
const answers = new Map<string, Answer>()

/** Forgets what was asked, and answers as told from now on: by `METHOD /path`. */
export function begin(told: Record<string, Answer>) {
  asked.length = 0
  answers.clear()
  for (const [what, answer] of Object.entries(told)) answers.set(what, answer)
}

/** How often something was asked. */
export const times = (what: string) => asked.filter((a) => a.what === what).length

interface Init {
  params?: { path?: { id?: string; job?: string }; query?: Record<string, unknown> }
  body?: unknown
}
const call =
  (method: string) =>
  async (path: string, init: Init = {}) => {
    const { params, body } = init
    const mine: Asked = { what: `${method} ${path}`, body }
    const id = params?.path?.id ?? params?.path?.job
    if (id) mine.id = id
    if (params?.query) mine.query = params.query
    asked.push(mine)
    const answer = answers.get(mine.what)
    if (!answer) throw new Error(`nobody said what ${mine.what} answers`)
    const said = await answer(mine)
    if (said instanceof Refusal)
      return {
        error: { detail: said.detail },
        response: new Response(null, { status: said.status }),
      }
    return { data: said ?? {}, response: new Response() }
  }

/** The client, asking the stand-in. */
export async function standInFor(original: () => Promise<unknown>) {
  const client = (await original()) as object
  const api = {
    GET: call('GET'),
    POST: call('POST'),
    PUT: call('PUT'),
    DELETE: call('DELETE'),
  }
  return { ...client, api }
}

/** Lets everything that waits for an answer go on. */
export const settled = async () => {
  for (let turn = 0; turn < 20; turn++) await Promise.resolve()
  await vi.dynamicImportSettled()
}
