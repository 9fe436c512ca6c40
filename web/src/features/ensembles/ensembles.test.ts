import { describe, expect, it } from 'vitest'

import {
  castingBefore,
  ensembleBefore,
  keyAt,
  meetingText,
  withKey,
  type CastingRow,
  type EnsembleRow,
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

describe('keys of a placement', () => {
  it('are set in their order, one for each frame', () => {
    const keys = withKey(casting.placements.giver, 4, { turn: 20 })
    expect(keys.map((key) => key.frame)).toEqual([4, 10])
    expect(keyAt(withKey(keys, 10, { at: [0, 1] }), 10)).toEqual({ frame: 10, at: [0, 1], turn: 0 })
    expect(keyAt(undefined, 4)).toBeUndefined()
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
  expect(meetingText(ensemble.meetings[0])).toBe('left hand of giver and the crate')
})
