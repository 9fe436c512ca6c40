/** What was found in a character's file, as the studio keeps it. */
export interface Sheet {
  format: string
  unit: string
  up: string
  turned: number
  facing: number | null
  height: number
  joints: number
  roots: number
  skins: number
  weighted: number
  plan: string
  parts: number
  missing: string[]
  roles: { bone: string; role: string; reason: string }[]
  materials: { name: string; colour: [number, number, number]; texture: boolean }[]
  apart: number
  apart_degrees: number
  clips: number
  evidence: { unit: string; up: string; facing: string }
  notes: string[]
}

/** What a waiting character will be called: as typed, else after its file. */
export const waitingName = (file: { name: string; path: string }) =>
  file.name || file.path.split('/').pop()!.replace(/\.\w+$/, '').replace(/_/g, ' ')

/** A colour in linear light as a page shows it. */
export function shown([r, g, b]: [number, number, number]): string {
  const channel = (v: number) => Math.round(255 * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055))
  return `rgb(${channel(r)}, ${channel(g)}, ${channel(b)})`
}
