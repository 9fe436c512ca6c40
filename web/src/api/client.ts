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

/** How arrays are asked for: as differences from row to row, which compress well. */
export const DELTAS = 'application/vnd.armuto.deltas'

/** Motion arrays: float32 blocks one after another, shapes in the header. */
export interface Arrays {
  blocks: { shape: number[]; values: Float32Array }[]
  fps: number
}

export async function fetchArrays(path: string, signal?: AbortSignal): Promise<Arrays> {
  const response = await fetch(path, { signal, headers: { Accept: DELTAS } }).catch((problem: unknown) => {
    if (problem instanceof DOMException && problem.name === 'AbortError') throw problem
    throw new Unanswered()
  })
  if (!response.ok) throw new Refused(sentence(await response.json().catch(() => undefined), response.status))
  return arraysOf(response, await response.arrayBuffer())
}

/** Sums of differences: zigzag numbers, column by column, their lowest bytes first (array_response.py). */
function summed(bytes: Uint8Array, rows: number, step: number): Float32Array {
  const count = bytes.length / 4
  const columns = count / rows
  const out = new Float32Array(count)
  for (let column = 0, n = 0; column < columns; column++)
    for (let row = 0, sum = 0; row < rows; row++, n++) {
      const zigzag = bytes[n] | (bytes[n + count] << 8) | (bytes[n + 2 * count] << 16) | (bytes[n + 3 * count] << 24)
      sum += (zigzag >>> 1) ^ -(zigzag & 1)
      out[row * columns + column] = sum * step
    }
  return out
}

/** The arrays that an answer holds. */
export function arraysOf(response: Response, data: ArrayBuffer): Arrays {
  const steps = response.headers.get('Content-Type') === DELTAS && response.headers.get('X-Armuto-Step')?.split(';')
  let at = 0
  const blocks = (response.headers.get('X-Armuto-Shape') ?? '').split(';').map((text, n) => {
    const shape = text.split(',').map(Number)
    const length = shape.reduce((a, b) => a * b, 1)
    const start = at
    at += length * 4
    if (!steps) return { shape, values: new Float32Array(data, start, length) }
    return { shape, values: summed(new Uint8Array(data, start, length * 4), shape[0], Number(steps[n])) }
  })
  return { blocks, fps: Number(response.headers.get('X-Armuto-Fps')) }
}
