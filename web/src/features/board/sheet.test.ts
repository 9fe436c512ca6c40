import { expect, test } from 'vitest'

import type { Clip, LibrarySkeleton } from '@/stores/library'
import { between, columnWidth, HEADING, lay, ROW } from './sheet'

const skeletons = [1, 2, 3].map((id) => ({ id }) as LibrarySkeleton)
const clips = [1, 1, 3, 1, 3].map((skeleton_id, n) => ({ id: n + 1, skeleton_id }) as Clip)

test('rows lie under the heading of their skeleton, and a skeleton without clips has none', () => {
  const entries = lay(clips, skeletons)
  expect(entries.map((entry) => entry.key)).toEqual(['s1', 'c1', 'c2', 'c4', 's3', 'c3', 'c5'])
  expect(entries.map((entry) => entry.top)).toEqual([
    0,
    HEADING,
    HEADING + ROW,
    HEADING + 2 * ROW,
    HEADING + 3 * ROW,
    2 * HEADING + 3 * ROW,
    2 * HEADING + 4 * ROW,
  ])
  expect(entries.filter((entry) => entry.kind === 'clip').map((entry) => entry.row)).toEqual([0, 1, 2, 3, 4])
  expect(entries[4].row).toBe(3)
})

test('what lies between two heights, with as many as are asked for at least', () => {
  const entries = lay(clips, skeletons)
  expect(between(entries, HEADING + ROW, HEADING + 2 * ROW).map((entry) => entry.key)).toEqual(['c2'])
  expect(between(entries, 0, 1).map((entry) => entry.key)).toEqual(['s1'])
  expect(between(entries, 0, 1, 4)).toHaveLength(4)
  expect(between(entries, 1e6, 2e6, 3).map((entry) => entry.key)).toEqual(['s3', 'c3', 'c5'])
  expect(between([], 0, 100, 5)).toEqual([])
})

test('columns share the room, neither narrow nor wide beyond measure', () => {
  expect(columnWidth(1280, 6)).toBe(168)
  expect(columnWidth(1280, 1)).toBe(188)
  expect(columnWidth(1280, 40)).toBe(124)
  expect(columnWidth(1280, 0)).toBe(188)
})
