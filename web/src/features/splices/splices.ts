import type { Schemas } from '@/api/client'

/** Splices as they are edited: spans and joins, and what a hand or a key makes of them. Times are seconds. */
export type SpliceRow = Schemas['SpliceOut']
export type Splice = SpliceRow['splice']
export type Span = Splice['spans'][number]
export type Join = Splice['joins'][number]
export type Made = Schemas['SplicedOut']
export type MadeJoin = Schemas['MadeJoinOut']
export type Candidate = Schemas['SpliceCandidate']
export type Part = Schemas['SplicePart']

/** A join of which nothing is said. */
export const usualJoin = (): Join => ({
  overlap: null,
  pivot: 'auto',
  place: [0, 0],
  facing: 0,
  blend: 'auto',
  turn: 0,
  over: 1,
  feet: true,
})
const within = (value: number, least: number, most: number) => Math.min(most, Math.max(least, value))
const replaced = <T>(list: readonly T[], at: number, changes: Partial<T>) =>
  list.map((row, n) => (n === at ? { ...row, ...changes } : row))

export const withSpan = (splice: Splice, at: number, changes: Partial<Span>): Splice => ({
  ...splice,
  spans: replaced(splice.spans, at, changes),
})
export const withJoin = (splice: Splice, at: number, changes: Partial<Join>): Splice => ({
  ...splice,
  joins: replaced(splice.joins, at, changes),
})
/** The frames of the clips at which a join lies. */
export function placeOf(splice: Splice, join: number, parts: Part[], fps: number): [out: number, into: number] {
  const [a, b] = [splice.spans[join], splice.spans[join + 1]]
  const last = (parts.find((part) => part.key === a.clip)?.frames ?? 1) - 1
  return [a.end === null ? last : Math.round(a.end * fps), b.start === null ? 0 : Math.round(b.start * fps)]
}
/** The join laid at a frame of the one clip and a frame of the other. */
export function joinedAt(splice: Splice, join: number, out: number, into: number, fps: number): Splice {
  return withSpan(withSpan(splice, join, { end: out / fps }), join + 1, { start: into / fps })
}
/** Both clips kept where they lie to each other, the join between them so many frames later. */
export function joinMoved(splice: Splice, join: number, by: number, parts: Part[], fps: number): Splice {
  const [out, into] = placeOf(splice, join, parts, fps)
  const frames = (at: number) => parts.find((part) => part.key === splice.spans[at].clip)?.frames ?? 1
  const starts = Math.round((splice.spans[join].start ?? 0) * fps)
  const end = splice.spans[join + 1].end
  const ends = end === null ? frames(join + 1) - 1 : Math.round(end * fps)
  const moved = within(by, Math.max(starts + 1 - out, -into), Math.min(frames(join) - 1 - out, ends - 1 - into))
  return joinedAt(splice, join, out + moved, into + moved, fps)
}
/** Where a span begins and ends in its clip, in frames. */
export function rangeOf(splice: Splice, at: number, parts: Part[], fps: number): [first: number, last: number] {
  const span = splice.spans[at]
  const last = (parts.find((part) => part.key === span.clip)?.frames ?? 1) - 1
  return [
    span.start === null ? 0 : Math.round(span.start * fps),
    span.end === null ? last : Math.min(last, Math.round(span.end * fps)),
  ]
}
/** Another end of a span, within its clip. */
export function spanDrawn(
  splice: Splice,
  at: number,
  which: 'start' | 'end',
  frame: number,
  parts: Part[],
  fps: number,
): Splice {
  const [first, last] = rangeOf(splice, at, parts, fps)
  const frames = parts.find((part) => part.key === splice.spans[at].clip)?.frames ?? 1
  const to = which === 'start' ? within(frame, 0, last - 1) : within(frame, first + 1, frames - 1)
  return withSpan(splice, at, { [which]: to / fps })
}
/** Another stretch of the same clip, as long, so many frames later in it. */
export function spanSlid(splice: Splice, at: number, by: number, parts: Part[], fps: number): Splice {
  const [first, last] = rangeOf(splice, at, parts, fps)
  const frames = parts.find((part) => part.key === splice.spans[at].clip)?.frames ?? 1
  const moved = within(by, -first, frames - 1 - last)
  return withSpan(splice, at, { start: (first + moved) / fps, end: (last + moved) / fps })
}
/** A change of the order of spans, and the joins that have to be placed anew for it. */
export interface Rearranged {
  splice: Splice
  joins: number[]
}
function rearranged(splice: Splice, spans: Span[], fresh: number[]): Rearranged {
  const joins = spans.slice(1).map((_, n) => (fresh.includes(n) ? usualJoin() : (splice.joins[n] ?? usualJoin())))
  const open = spans.map((span, n) => ({
    ...span,
    start: n === 0 || fresh.includes(n - 1) ? null : span.start,
    end: n === spans.length - 1 || fresh.includes(n) ? null : span.end,
  }))
  return { splice: { ...splice, spans: open, joins }, joins: fresh }
}
/** A span one place earlier (-1) or later (1); null at an end. */
export function spanMoved(splice: Splice, at: number, by: -1 | 1): Rearranged | null {
  const to = at + by
  if (to < 0 || to >= splice.spans.length) return null
  const spans = [...splice.spans]
  ;[spans[at], spans[to]] = [spans[to], spans[at]]
  const first = Math.min(at, to)
  const fresh = [first - 1, first, first + 1].filter((join) => join >= 0 && join < spans.length - 1)
  return rearranged(splice, spans, fresh)
}
/** Without a span; null where it is the last one. */
export function spanRemoved(splice: Splice, at: number): Rearranged | null {
  if (splice.spans.length < 2) return null
  const spans = splice.spans.filter((_, n) => n !== at)
  const joins = splice.joins.filter((_, n) => n !== Math.min(at, splice.joins.length - 1))
  const fresh = at > 0 && at < splice.spans.length - 1 ? [at - 1] : []
  return rearranged({ ...splice, joins }, spans, fresh)
}
/** Gone on by a clip. */
export function spanAdded(splice: Splice, clip: number): Rearranged {
  const spans = [...splice.spans, { clip: `${clip}`, start: null, end: null, repeat: 1 }]
  return rearranged(splice, spans, [spans.length - 2])
}
/** The lane of each of some stretches, so that none lies over another: two in turn, more where they have to be. */
export function lanesOf(stretches: { begin: number; end: number }[]): number[] {
  const ends: number[] = []
  return stretches.map(({ begin, end }, n) => {
    const free = (lane: number) => (ends[lane] ?? -1) < begin
    const lane = [n % 2, 1 - (n % 2), 2, 3].find(free) ?? n % 2
    ends[lane] = end
    return lane
  })
}
/** The same clips in the same order, whole but for the joins, which are placed anew. */
export function allPlaced(splice: Splice): Rearranged {
  const spans = splice.spans.map((span) => ({ ...span, start: null, end: null }))
  return { splice: { ...splice, spans }, joins: splice.joins.map((_, join) => join) }
}
/** Blends and pivots in words. */
export const BLENDS = {
  auto: 'what moves more evenly',
  fade: 'fade into each other',
  carry: 'carry the difference over',
} as const
export const blendWord: Record<string, string> = {
  fade: 'fading',
  carry: 'carried over',
  follows: 'one follows the other',
}
export const pivotWord = (pivot: string) =>
  ({ auto: 'a foot that rests, by itself', body: 'the whole body', place: 'a place that is said' })[pivot] ?? pivot
/** A number of frames as people read it. */
export const timeOf = (frame: number, fps: number) => `${frame} · ${(frame / fps).toFixed(2)} s`

/** Points of a pose seen from the side of the body, whose left is lateral: ahead to the right, and up. turn, shift: how
 * the pose is laid onto another's. */
export function sideView(
  pose: ArrayLike<number>,
  lateral: [x: number, z: number],
  turn = 0,
  shift: [x: number, z: number] = [0, 0],
): number[] {
  const [c, s] = [Math.cos(turn), Math.sin(turn)]
  const out: number[] = []
  for (let n = 0; n < pose.length; n += 3) {
    const x = pose[n] * c + pose[n + 2] * s + shift[0]
    const z = pose[n + 2] * c - pose[n] * s + shift[1]
    // Left × up is ahead.
    out.push(z * lateral[0] - x * lateral[1], pose[n + 1])
  }
  return out
}
