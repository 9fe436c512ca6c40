import { describe, expect, it } from 'vitest'

import {
  carriedBy,
  castingBefore,
  ensembleBefore,
  freeName,
  meetingText,
  placementAt,
  withKey,
  type CastingRow,
  type EnsembleRow,
  type PlacementKey,
} from './ensembles'

const casting = {
  id: 1,
  name: 'first night',
  cast: { giver: 4, receiver: 1 },
  space: null,
  sizes: { crate: 0.8 },
  placements: { giver: [{ frame: 10, at: [0.1, 0], turn: 0 }] },
  ease: 0,
} as unknown as CastingRow
const ensemble = {
  id: 1,
  name: 'crate',
  performers: ['giver', 'receiver'],
  people: [
    { name: 'giver', shift: 3 },
    { name: 'receiver', shift: 0 },
  ],
  things: [],
  meetings: [{ first: 2, last: 9, a: { who: 'giver', part: 'left hand' }, b: { who: 'crate', part: '' } }],
  found: true,
  said_first: null,
  said_last: null,
} as unknown as EnsembleRow

describe('who carries a prop', () => {
  const left = { who: 'giver', part: 'left hand' }
  const right = { who: 'giver', part: 'right hand' }
  it('is whoever takes it, until the next does or to the end', () => {
    const one = carriedBy([], 20, 90, left)
    expect(one).toEqual([{ first: 20, last: 90, by: [left] }])
    expect(carriedBy(one, 5, 90, right)).toEqual([{ first: 5, last: 19, by: [right] }, ...one])
  })
  it('is both, where a second hand comes in, from then on', () => {
    const both = carriedBy(carriedBy([], 20, 90, left), 40, 90, right)
    expect(both).toEqual([
      { first: 20, last: 39, by: [left] },
      { first: 40, last: 90, by: [left, right] },
    ])
    expect(carriedBy(both, 60, 90, left)).toBe(both)
    expect(carriedBy([{ first: 20, last: 90, by: [left] }], 20, 90, right)).toEqual([
      { first: 20, last: 90, by: [left, right] },
    ])
  })
  it('has a name of its own', () => {
    expect([freeName('prop', []), freeName('prop', ['prop', 'prop 2'])]).toEqual(['prop', 'prop 3'])
  })
})

describe('keys of a placement', () => {
  it('hold before and after all of them, and go over from one to the next', () => {
    const keys = [
      { frame: 10, at: [0, 1], turn: 0 },
      { frame: 20, at: [2, 1], turn: 90 },
    ] as PlacementKey[]
    expect(placementAt(keys, 3)).toEqual({ at: [0, 1], turn: 0 })
    expect(placementAt(keys, 15)).toEqual({ at: [1, 1], turn: 45 })
    expect(placementAt(keys, 12).at[0]).toBeCloseTo(2 * 0.05792, 5)
    expect(placementAt(keys, 99)).toEqual({ at: [2, 1], turn: 90 })
    expect(placementAt(undefined, 4)).toEqual({ at: [0, 0], turn: 0 })
  })
  it('come and go where they are eased', () => {
    const keys = [{ frame: 10, at: [2, 0], turn: 40 }] as PlacementKey[]
    expect(placementAt(keys, 10, 6)).toEqual({ at: [2, 0], turn: 40 })
    expect(placementAt(keys, 7, 6)).toEqual({ at: [1, 0], turn: 20 })
    expect(placementAt(keys, 16, 6)).toEqual({ at: [0, 0], turn: 0 })
  })
  it('are set in their order, one for each frame', () => {
    const keys = withKey(casting.placements.giver, 4, { turn: 20 })
    expect(keys.map((key) => key.frame)).toEqual([4, 10])
    expect(withKey(keys, 10, { at: [0, 1] })[1]).toEqual({ frame: 10, at: [0, 1], turn: 0 })
  })
})

describe('what takes a change back', () => {
  it('says of a casting what it was, and no more than was changed', () => {
    expect(castingBefore(casting, { cast: { giver: 2 } })).toEqual({ cast: casting.cast })
    expect(castingBefore(casting, { space: 2, space_said: true })).toEqual({ space: null, space_said: true })
    expect(castingBefore(casting, { sizes: {}, ease: 2 })).toEqual({ sizes: { crate: 0.8 }, ease: 0 })
  })
  it('finds the meetings of an ensemble again where they were as found', () => {
    expect(ensembleBefore(ensemble, { meetings: [] })).toEqual({ find_meetings: true })
    expect(ensembleBefore({ ...ensemble, found: false }, { find_meetings: true })).toEqual({
      meetings: ensemble.meetings,
    })
    expect(ensembleBefore(ensemble, { range: [4, 8] })).toEqual({ whole: true })
    expect(ensembleBefore({ ...ensemble, said_first: 1, said_last: 5 }, { whole: true })).toEqual({ range: [1, 5] })
  })
  it('gives performers their names and times back', () => {
    const renamed = { performers: { giver: { name: 'porter', shift: 7 } } }
    expect(ensembleBefore(ensemble, renamed)).toEqual({ performers: { porter: { name: 'giver', shift: 3 } } })
  })
})

it('says who meets what', () => {
  const meeting = ensemble.meetings[0]
  expect(meetingText(meeting, ensemble)).toBe('left hand of giver and the crate')
  const held = { ...meeting, b: { ...meeting.b, part: 'rope' } }
  expect(meetingText(held, ensemble)).toBe('left hand of giver and the crate at its rope')
})
