import type { Schemas } from '@/api/client'
import type { NumberField } from '@/shared/fields/numberField'
import { frameSpan, quantity } from '@/shared/units'
import type { Performed, Recorded } from './useEnsembleStage'

export type EnsembleRow = Schemas['EnsembleOut']
export type CastingRow = Schemas['CastingOut']
export type Measures = Schemas['CastingMeasuresOut']
export type Meeting = Schemas['Meeting']
/** As the studio gives them: whole. */
export type Shape = Required<EnsembleRow['things'][number]['shapes'][number]>
export type Prop = Required<Omit<EnsembleRow['things'][number], 'shapes'>> & { shapes: Shape[] }
export type PlacementKey = Schemas['PlacementKey']
export type EnsembleChange = Schemas['EnsembleChange']
export type CastingChange = Schemas['CastingChange']

/** One side of a meeting in words: a part of a performer, or a prop by itself or at one of its handles. */
const sideText = ({ who, part }: Meeting['a'], performers: string[]) =>
  performers.includes(who) ? `${part} of ${who}` : `the ${who}${part ? ` at its ${part}` : ''}`
export const meetingText = (meeting: Meeting, { performers }: Pick<EnsembleRow, 'performers'>) =>
  `${sideText(meeting.a, performers)} and ${sideText(meeting.b, performers)}`
export const meetingFrames = ({ first, last }: Meeting, begin: number) => frameSpan(first - begin, last - begin)

/** A gap before and now, as in a table. */
export const gapText = (centimetres: number) => quantity(centimetres, 'cm')

/** An ensemble as the stage shows it: as it was recorded. */
export const recordedOf = (row: EnsembleRow): Recorded => ({
  motion: `/api/ensembles/${row.id}/recording`,
  performers: row.people.map(({ name, skeleton_id }) => ({ name, skeleton: skeleton_id })),
  props: row.things.map(({ shapes, handles }) => ({ shapes, handles: Object.values(handles ?? {}), size: 1 })),
})
/** The same as a casting does it now. */
export const performedOf = (row: EnsembleRow, casting: CastingRow): Performed => ({
  motion: `/api/ensembles/castings/${casting.id}/motion`,
  performers: row.people.map(({ name }) => ({ name, character: casting.cast[name] ?? 0 })),
  props: row.things.map(({ name, shapes, handles }) => ({
    shapes,
    handles: Object.values(handles ?? {}),
    size: casting.sizes_used[name] ?? 1,
  })),
})

/** Lanes from above: performers, then props. */
export const lanesOf = (row: EnsembleRow) => [...row.performers, ...row.things.map((prop) => prop.name)]

/**
 * Where a performer is placed in a frame, as the studio has it: by a key, between two, or by the nearest before or
 * after all of them. ease: frames over which that comes before the first and goes after the last; for ever where it is
 * 0.
 */
export function placementAt(keys: PlacementKey[] | undefined, frame: number, ease = 0): Placed {
  const rows = keys ?? []
  const [first, last] = [rows[0], rows[rows.length - 1]]
  if (!first || !last) return { at: [0, 0], turn: 0 }
  const before = rows.findLast((key) => key.frame <= frame) ?? first
  const after = rows.find((key) => key.frame >= frame) ?? last
  const share = smooth(after.frame === before.frame ? 0 : (frame - before.frame) / (after.frame - before.frame))
  const weight = ease ? Math.min(smooth(1 + (frame - first.frame) / ease), smooth(1 + (last.frame - frame) / ease)) : 1
  const between = (a: number, b: number) => weight * (a + share * (b - a))
  return {
    at: [between(before.at[0], after.at[0]), between(before.at[1], after.at[1])],
    turn: between(before.turn, after.turn),
  }
}
type Placed = Pick<PlacementKey, 'at' | 'turn'>
/** From 0 at 0 to 1 at 1 with no speed and no acceleration at either end. */
function smooth(share: number) {
  const x = Math.min(Math.max(share, 0), 1)
  return x * x * x * (x * (6 * x - 15) + 10)
}

/** Keys with one of a frame set otherwise, or new, in their order. */
export function withKey(keys: PlacementKey[] | undefined, frame: number, change: Partial<PlacementKey>) {
  const now = keys?.find((key) => key.frame === frame) ?? { frame, at: [0, 0], turn: 0 }
  const others = (keys ?? []).filter((key) => key.frame !== frame)
  return [...others, { ...now, ...change }].sort((a, b) => a.frame - b.frame)
}

export const lengthField = (label: string, least = -10_000): NumberField => ({
  path: label,
  label,
  type: 'number',
  unit: 'cm',
  least,
  most: 10_000,
  step: 1,
  scale: 100,
})

/** The name, with a number where it is taken. */
export function freeName(name: string, taken: string[]): string {
  let number = 1
  while (taken.includes(number > 1 ? `${name} ${number}` : name)) number += 1
  return number > 1 ? `${name} ${number}` : name
}

type Carried = Prop['carried'][number]
/**
 * Who carries a prop, once somebody takes it in a frame: beside those who carry it by then, to the end of their
 * stretch, or else until the next stretch begins.
 */
export function carriedBy(stretches: Carried[], frame: number, end: number, by: Carried['by'][number]): Carried[] {
  const same = (other: typeof by) => other.who === by.who && other.part === by.part
  const now = stretches.find(({ first, last }) => first <= frame && frame <= last)
  if (now?.by.some(same)) return stretches
  const next = stretches.find(({ first }) => first > frame)
  const added: Carried[] = now
    ? [
        ...(now.first < frame ? [{ ...now, last: frame - 1 }] : []),
        { first: frame, last: now.last, by: [...now.by, by] },
      ]
    : [{ first: frame, last: next ? next.first - 1 : end, by: [by] }]
  return [...stretches.filter((each) => each !== now), ...added].sort((a, b) => a.first - b.first)
}

/** What a change of a casting is taken back by. */
export function castingBefore(row: CastingRow, change: CastingChange): CastingChange {
  const out: CastingChange = {}
  if (change.name !== undefined) out.name = row.name
  if (change.cast !== undefined) out.cast = row.cast
  if (change.sizes !== undefined) out.sizes = row.sizes
  if (change.placements !== undefined) out.placements = row.placements
  if (change.ease !== undefined) out.ease = row.ease
  if (change.space_said) Object.assign(out, { space: row.space, space_said: true })
  return out
}
/** What a change of an ensemble is taken back by. */
export function ensembleBefore(row: EnsembleRow, change: EnsembleChange): EnsembleChange {
  const out: EnsembleChange = {}
  if (change.name !== undefined) out.name = row.name
  if (change.props !== undefined) out.props = row.things
  if (change.meetings !== undefined || change.find_meetings) {
    if (row.found) out.find_meetings = true
    else out.meetings = row.meetings
  }
  if (change.range !== undefined || change.whole) {
    if (row.said_first === null || row.said_last === null) out.whole = true
    else out.range = [row.said_first, row.said_last]
  }
  if (change.performers)
    out.performers = Object.fromEntries(
      Object.keys(change.performers).map((name) => {
        const now = row.people.find((each) => each.name === name)
        return [change.performers![name].name ?? name, { name, shift: now?.shift ?? 0 }]
      }),
    )
  return out
}
