import { expect, test } from 'vitest'

import { limitsQuery, UNLIMITED, withLimit } from './candidateRange'

test('nothing is asked where nothing is said', () => {
  expect(Object.values(limitsQuery(UNLIMITED, [100, 60])).every((value) => value === undefined)).toBe(true)
})

test('of a clip of which one end is said, the other is that of the clip', () => {
  const late = withLimit(UNLIMITED, 0, 0, 70)
  expect(limitsQuery(late, [100, 60])).toEqual({
    out_first: 70,
    out_last: 99,
    into_first: undefined,
    into_last: undefined,
  })
  const early = withLimit(UNLIMITED, 1, 1, 12)
  expect(limitsQuery(early, [100, 60])).toMatchObject({ out_first: undefined, into_first: 0, into_last: 12 })
})

test('no frame is beyond a clip that has become shorter, and none ends before it begins', () => {
  const both = withLimit(withLimit(UNLIMITED, 0, 0, 150), 0, 1, 20)
  expect(limitsQuery(both, [100, 60])).toMatchObject({ out_first: 99, out_last: 99 })
})
