import { expect, it } from 'vitest'

import { timeOf } from './timeFormat'

it('time is written in seconds or counted in frames', () => {
  expect(timeOf(75, 30, 'seconds')).toBe('2.50 s')
  expect(timeOf(75, 30, 'timecode')).toBe('00:02:15')
  expect(timeOf(30 * 61 + 7, 30, 'timecode')).toBe('01:01:07')
  expect(timeOf(59, 29.97, 'timecode')).toBe('00:01:29')
  expect(timeOf(3, 0.5, 'timecode')).toBe('00:03:00')
})
