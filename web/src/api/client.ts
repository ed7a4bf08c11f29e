import createClient from 'openapi-fetch'

import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Cell = Schemas['CellDetail']
export type Item = Schemas['ItemDocument']
export type Viewpoint = Schemas['ViewpointDocument']
export type SavedView = Schemas['SavedViewDocument']
export type Section = Schemas['SectionDocument']
export type Style = Schemas['StyleDocument']
export type Colours = Schemas['ColoursDocument']
export type ViewPart = Schemas['ViewPart']
export type Tour = Schemas['TourDocument']
export type TourStop = Schemas['TourStopDocument']
export type Edit = Schemas['Edit']
export type Findings = Schemas['FindingsFound']
export type Pair = Schemas['PairReport']
export type Vec3 = [number, number, number]

export const api = createClient<paths>({ baseUrl: '/' })

/** What the server refused, in its own sentence. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message)
  }
}

/** The answer, or an error with the server's sentence. */
export async function answer<T>(
  request: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  const { data, error, response } = await request.catch(() => {
    throw new Refused('The server does not answer. Is it running?', 0)
  })
  if (error !== undefined || data === undefined) {
    const detail = (error as { detail?: string } | undefined)?.detail
    throw new Refused(detail ?? `The server answered ${response.status}.`, response.status)
  }
  return data
}

/** Binary content. */
export async function bytes(path: string): Promise<ArrayBuffer> {
  const response = await fetch(path)
  if (!response.ok)
    throw new Error(
      ((await response.json().catch(() => ({}))) as { detail?: string }).detail ??
        `${response.status}`,
    )
  return response.arrayBuffer()
}
