import type { Schemas } from '@/api/client'
import type { Bones } from '@/stores/cast'
import type { Which } from './weave'

export type StanceRow = Schemas['StanceRowOut']
export type StanceEdit = Schemas['StanceEdit']
export type Wanted = Partial<StanceEdit> & Pick<StanceEdit, 'op'>
export type Offers = Schemas['OffersOut']
/** What is seen beside the leaf: both bodies in their stances, both in the clip, or all of them. */
export const VIEWS = ['Stance', 'Both', 'Motion'] as const
export type View = (typeof VIEWS)[number]

/** Both bodies in their stances, as the studio sends them. */
export interface Standing {
  source: { positions: Float32Array; turns: Float32Array; marks: Float32Array }
  target: { rotations: Float32Array; translations: Float32Array; marks: Float32Array }
}

export function read(values: Float32Array, trees: Record<Which, Bones>): Standing {
  let at = 0
  const next = (length: number) => values.subarray(at, (at += length))
  const [joints, points] = [trees.source.names.length, trees.source.names.length + trees.source.ends.length]
  const bones = trees.target.names.length
  return {
    source: { positions: next(points * 3), turns: next(joints * 4), marks: next(joints * 3) },
    target: { rotations: next(bones * 4), translations: next(bones * 3), marks: next(bones * 3) },
  }
}

/**
 * Rows with most left first, equal ones as the body plan has them; what is a body's own build comes after what is
 * posture.
 */
export function worstFirst(rows: StanceRow[], plan: string[]): StanceRow[] {
  const most = (row: StanceRow) => Math.round(Math.max(row.left, Math.abs(row.roll ?? 0)) * 10)
  const order = new Map(plan.map((part, n) => [part, n]))
  const place = (row: StanceRow) => order.get(row.part) ?? plan.length
  return [...rows].sort((a, b) => Number(a.own) - Number(b.own) || most(b) - most(a) || place(a) - place(b))
}
