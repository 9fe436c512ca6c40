import type { Schemas } from '@/api/client'
import { lengthNumber, lengthUnit } from '@/shared/units'

export type Wanted = Schemas['DeliverySettings']
export const USUAL: Wanted = {
  kind: 'glb',
  mesh: true,
  together: false,
  fps: null,
  unit: 'cm',
  up: '+Y',
  thinned: null,
  travel: 'as made',
  first: 0,
  fittings: false,
  touchups: false,
  ensembles: 'common space',
}
/** How everybody of a casting goes out. */
export const ENSEMBLES: Record<Wanted['ensembles'], string> = {
  'common space': 'a file for each, in the common space',
  origin: 'a file for each, beginning at the origin',
  'one file': 'all in one file, with the props',
}
/** Formats that hold several figures. */
export const TOGETHER: Wanted['kind'][] = ['glb', 'usd']

export const KINDS: Record<Wanted['kind'], string> = {
  glb: 'glTF',
  bvh: 'BVH',
  dae: 'COLLADA',
  usd: 'USD',
  csv: 'CSV of positions',
}

/** The axes that a format can say are up; none where it is always +Y, in metres. */
export const UPS: Partial<Record<Wanted['kind'], string[]>> = {
  bvh: ['+Y', '+Z', '+X', '-Y', '-Z', '-X'],
  csv: ['+Y', '+Z', '+X', '-Y', '-Z', '-X'],
  dae: ['+Y', '+Z', '+X'],
  usd: ['+Y', '+Z'],
}

/** The choices of a delivery in a few words. */
export function inWords(wanted: Partial<Wanted>): string {
  const w = { ...USUAL, ...wanted } as Wanted
  return [
    KINDS[w.kind],
    ['glb', 'dae', 'usd'].includes(w.kind) && !w.mesh && 'without mesh',
    w.kind === 'glb' && w.together && 'all clips of a character in one file',
    w.kind in UPS && `${w.unit}, ${w.up} up`,
    w.fps && `${w.fps} fps`,
    w.thinned &&
      `keys within ${w.thinned.degrees}° and ${+lengthNumber(w.thinned.centimetres / 100, 2)} ${lengthUnit.value}`,
    w.travel !== 'as made' && (w.travel === 'root' ? 'travel on a root bone' : 'in place'),
    w.first && `from frame ${w.first}`,
    w.fittings && 'with the fittings',
    w.ensembles !== 'common space' && `of ensembles ${ENSEMBLES[w.ensembles]}`,
  ]
    .filter(Boolean)
    .join(', ')
}
export function size(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`
}
/** Let the browser fetch an archive, which is made while it comes. */
export function fetchArchive(id: number) {
  const link = document.createElement('a')
  link.href = `/api/deliveries/${id}/archive`
  link.download = ''
  link.click()
}

/** The page that opens a delivery with the loaders of three.js alone. */
export const receiverOf = (id: number) => `/receiver/index.html?archive=/api/deliveries/${id}/archive%3Flook=true`

/** Digits of a number in a name where nothing is said, as the studio has it. */
const WIDTH = 2
interface Form {
  wanted: Wanted
  rule: { style: string; pieces: Schemas['NamingPiece'][] } | null
}
/** Whether two ways to hand on, and to name files, come to the same. */
export function sameForm(a: Form, b: Form): boolean {
  // The order of keys says nothing, nor do fields of a naming piece that are not set.
  const sorted = (_: string, value: unknown) =>
    value && typeof value === 'object' && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([x], [y]) => (x < y ? -1 : 1)))
      : value
  const told = ({ wanted, rule }: Form) => {
    const pieces = rule?.pieces.map(({ word, field, width }) => [word ?? null, field && [field, width ?? WIDTH]])
    return JSON.stringify([wanted, rule?.style, pieces], sorted)
  }
  return told(a) === told(b)
}
