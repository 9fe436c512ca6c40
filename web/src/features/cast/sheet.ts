import type { Schemas } from '@/api/client'

export type Sheet = Schemas['Sheet']

/** What a waiting character will be called: as typed, else after its file. */
export const waitingName = (file: { name: string; path: string }) =>
  file.name ||
  file.path
    .split('/')
    .pop()!
    .replace(/\.\w+$/, '')
    .replace(/_/g, ' ')

/** A colour in linear light as a page shows it. */
export function shown([r = 0, g = 0, b = 0]: number[]): string {
  const channel = (v: number) => Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055))
  return `rgb(${channel(r)}, ${channel(g)}, ${channel(b)})`
}
