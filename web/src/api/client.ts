import createClient from 'openapi-fetch'

import { concurrency } from './concurrency'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export const client = createClient<paths>({ baseUrl: '' })
client.use(concurrency)

/** A failed request, in the server's own sentence. */
export class Refused extends Error {}

/** A request that nobody answered. */
export class Unanswered extends Refused {
  constructor() {
    super('The studio does not answer; check that it is still running, then try again.')
  }
}

/** Something that is not in the studio, or not any more. */
export class Gone extends Refused {}

/** A change that others were before with. */
export class Conflict extends Refused {}

/** The data of an answer, or a Refused with the sentence to show. */
export async function answer<T>(request: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await request.catch(() => {
    throw new Unanswered()
  })
  if (response.status === 404) throw new Gone(sentence(error, response.status))
  if (response.status === 409) throw new Conflict(sentence(error, response.status))
  if (error !== undefined || !response.ok) throw new Refused(sentence(error, response.status))
  return data as T
}

function sentence(error: unknown, status: number): string {
  const detail = (error as { detail?: unknown } | undefined)?.detail
  if (typeof detail === 'string' && detail !== 'Not Found') return detail
  return status === 404
    ? 'This is no longer in the studio.'
    : `The studio could not do this (error ${status}); nothing was changed.`
}

/** Motion arrays: float32 blocks one after another, shapes in the header. */
export interface Arrays {
  blocks: { shape: number[]; values: Float32Array }[]
  fps: number
}

export async function fetchArrays(path: string, signal?: AbortSignal): Promise<Arrays> {
  const response = await fetch(path, { signal }).catch((problem: unknown) => {
    if (problem instanceof DOMException && problem.name === 'AbortError') throw problem
    throw new Unanswered()
  })
  if (!response.ok) throw new Refused(sentence(await response.json().catch(() => undefined), response.status))
  return arraysOf(response, await response.arrayBuffer())
}

/** The arrays that an answer holds. */
export function arraysOf(response: Response, data: ArrayBuffer): Arrays {
  let at = 0
  const blocks = (response.headers.get('X-Armuto-Shape') ?? '').split(';').map((text) => {
    const shape = text.split(',').map(Number)
    const length = shape.reduce((a, b) => a * b, 1)
    const values = new Float32Array(data, at, length)
    at += length * 4
    return { shape, values }
  })
  return { blocks, fps: Number(response.headers.get('X-Armuto-Fps')) }
}
