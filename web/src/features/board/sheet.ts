import type { Clip, LibrarySkeleton } from '@/stores/library'

/** What the rows of the board are of. */
export type Sheet = 'clips' | 'ensembles' | 'wanted'
export const NONE: Record<Sheet, string> = {
  clips: 'No clip is as asked for.',
  ensembles: 'No ensemble is as asked for.',
  wanted: 'No wanted motion is as asked for; the call sheet has what is wanted.',
}

/** What the board is laid out by: rows of clips under the heading of their skeleton. */
export interface Entry {
  kind: 'skeleton' | 'clip'
  key: string
  top: number
  height: number
  skeleton: LibrarySkeleton
  clips: Clip[]
  /** Place among the clips that are shown; of a heading, that of its first one. */
  row: number
}

export const ROW = 56
export const HEADING = 32
const NARROW = 124
const WIDE = 188
export const MARGIN = 272
export const TOP = 92

export function lay(clips: Clip[], skeletons: LibrarySkeleton[]): Entry[] {
  const out: Entry[] = []
  let top = 0
  let row = 0
  for (const skeleton of skeletons) {
    const own = clips.filter((clip) => clip.skeleton_id === skeleton.id)
    if (!own.length) continue
    out.push({ kind: 'skeleton', key: `s${skeleton.id}`, top, height: HEADING, skeleton, clips: own, row })
    top += HEADING
    for (const clip of own) {
      out.push({ kind: 'clip', key: `c${clip.id}`, top, height: ROW, skeleton, clips: [clip], row: row++ })
      top += ROW
    }
  }
  return out
}

/**
 * The entries that lie between two heights, and more after them up to a number: a search by halves, since there may
 * be thousands.
 */
export function between(entries: Entry[], from: number, to: number, least = 0): Entry[] {
  const at = Math.max(0, Math.min(firstBelow(entries, from), entries.length - least))
  let end = Math.min(at + least, entries.length)
  while (end < entries.length && entries[end].top < to) end++
  return entries.slice(at, end)
}
function firstBelow(entries: Entry[], height: number): number {
  let [low, high] = [0, entries.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (entries[middle].top + entries[middle].height <= height) low = middle + 1
    else high = middle
  }
  return low
}

/** How wide a column is: wider where there are few. */
export const columnWidth = (room: number, count: number) =>
  Math.max(NARROW, Math.min(WIDE, Math.floor((room - MARGIN) / Math.max(1, count))))

/** By how many rows and columns a key moves on a sheet. */
export const STEPS: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageUp: [-8, 0],
  PageDown: [8, 0],
  Home: [0, -9999],
  End: [0, 9999],
}
