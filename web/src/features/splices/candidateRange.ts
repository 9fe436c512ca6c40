/** The first and last frame of the clip that is left, and of the one that is entered; null where nothing is said. */
export type Limits = [FrameLimits, FrameLimits]
type FrameLimits = [first: number | null, last: number | null]

export const UNLIMITED: Limits = [
  [null, null],
  [null, null],
]

export function withLimit(limits: Limits, side: number, which: number, frame: number | null): Limits {
  return limits.map((own, n) => (n === side ? own.map((value, k) => (k === which ? frame : value)) : own)) as Limits
}

/** As the studio is asked. Of a clip of which one end is said, the other is that of the clip. */
export function limitsQuery([out, into]: Limits, [outFrames, intoFrames]: [number, number]) {
  const [outFirst, outLast] = whole(out, outFrames)
  const [intoFirst, intoLast] = whole(into, intoFrames)
  return { out_first: outFirst, out_last: outLast, into_first: intoFirst, into_last: intoLast }
}
function whole([first, last]: FrameLimits, frames: number): [number | undefined, number | undefined] {
  if (first === null && last === null) return [undefined, undefined]
  const end = frames - 1
  const begins = Math.min(first ?? 0, end)
  return [begins, Math.max(begins, Math.min(last ?? end, end))]
}
