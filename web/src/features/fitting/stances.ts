import type { Schemas } from '@/api/client'
import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'
import type { Which } from './weave'

export type StanceRow = Schemas['StanceRowOut']
export type StanceEdit = Schemas['StanceEdit']
export type Wanted = Partial<StanceEdit> & Pick<StanceEdit, 'op'>
export type Offers = Schemas['OffersOut']
export type Axes = 'own' | 'parent' | 'world'
/** What is seen beside the leaf: both bodies in their stances, both in the clip, or all of them. */
export const VIEWS = ['Stance', 'Both', 'Motion'] as const
export type View = (typeof VIEWS)[number]
export type Vector = [number, number, number]

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
export const decode = (text: string) => new Float32Array(Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer)

export const sub = (a: Vector, b: Vector): Vector => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
export const dot = (a: Vector, b: Vector) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
export const cross = (a: Vector, b: Vector): Vector => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
export function unit(v: Vector): Vector {
  const length = Math.hypot(...v)
  return length > 1e-9 ? [v[0] / length, v[1] / length, v[2] / length] : [0, 0, 0]
}
export const along = (from: Vector, way: Vector, far: number): Vector => [from[0] + way[0] * far, from[1] + way[1] * far, from[2] + way[2] * far]
export const triple = (values: ArrayLike<number>, n: number): Vector => [values[n * 3], values[n * 3 + 1], values[n * 3 + 2]]

/** Points of an arc from one direction to another about a place. */
export function arc(place: Vector, from: Vector, to: Vector, far: number): Vector[] {
  const angle = Math.acos(Math.max(-1, Math.min(1, dot(from, to))))
  if (angle < 1e-4) return []
  const sine = Math.sin(angle)
  const steps = Math.max(2, Math.ceil(angle / 0.12))
  return Array.from({ length: steps + 1 }, (_, n) => {
    const share = n / steps
    const [a, b] = sine < 1e-3 ? [1 - share, share] : [Math.sin((1 - share) * angle) / sine, Math.sin(share * angle) / sine]
    return along(along(place, from, far * a), to, far * b)
  })
}
/** Points of a ring about a place, square to an axis. */
export function ring(place: Vector, axis: Vector, far: number): Vector[] {
  const [u, v] = plane(axis)
  return Array.from({ length: 49 }, (_, n) => {
    const angle = (n / 48) * 2 * Math.PI
    return along(along(place, u, far * Math.cos(angle)), v, far * Math.sin(angle))
  })
}
/** Two directions square to an axis and to each other, right-handed with it. */
export function plane(axis: Vector): [Vector, Vector] {
  const aside: Vector = Math.abs(axis[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0]
  const u = unit(cross(aside, axis))
  return [u, cross(axis, u)]
}
/** The angle about an axis at which a line of sight meets the ring's plane; null where it runs along the plane. */
export function angleAt(place: Vector, axis: Vector, ray: { origin: number[]; direction: number[] }): number | null {
  const way = dot(axis, ray.direction as Vector)
  if (Math.abs(way) < 0.12) return null
  const far = dot(axis, sub(place, ray.origin as Vector)) / way
  const off = sub(along(ray.origin as Vector, ray.direction as Vector, far), place)
  const [u, v] = plane(axis)
  return Math.atan2(dot(off, v), dot(off, u))
}

/** The axes that a bone is turned about, each with its name. way: where the bone points. mark: where it bends to, or zero. */
export function axesOf(kind: Axes, way: Vector, mark: Vector, forward: Vector): { name: string; axis: Vector }[] {
  if (kind === 'world') return [{ name: 'up', axis: [0, 1, 0] }, { name: 'forward', axis: forward }, { name: 'across', axis: cross([0, 1, 0], forward) }]
  const on = unit(way)
  // Without a bend that shows, bend is taken to go forward.
  const bends = [mark, forward, [0, 1, 0] as Vector].map((one) => sub(one, along([0, 0, 0], on, dot(one, on)))).find((one) => Math.hypot(...one) > 0.2)!
  const side = unit(cross(on, unit(bends)))
  return [{ name: 'along', axis: on }, { name: 'bend', axis: side }, { name: 'aside', axis: unit(bends) }]
}

/** Rows with most left first, equal ones as the body plan has them; what is a body's own build comes after what is posture. */
export function worstFirst(rows: StanceRow[], plan: string[]): StanceRow[] {
  const most = (row: StanceRow) => Math.round(Math.max(row.left, Math.abs(row.roll ?? 0)) * 10)
  const order = new Map(plan.map((part, n) => [part, n]))
  const place = (row: StanceRow) => order.get(row.part) ?? plan.length
  return [...rows].sort((a, b) => Number(a.own) - Number(b.own) || most(b) - most(a) || place(a) - place(b))
}

/** The pose of a body where its joints are now, and the direction each bone of the list points in. */
export const placeIn = (stage: Stage, key: string, joint: number): Vector => {
  const at = stage.placeOf(key)
  const boneLines = stage.figure(key)?.boneLines ?? stage.source(key)
  const own = stage.figure(key) ? { x: 0, z: 0 } : at
  const place = boneLines ? triple(boneLines.positions, joint) : ([0, 0, 0] as Vector)
  return [place[0] + own.x, place[1], place[2] + own.z]
}
