import { expect, test } from 'vitest'
import { nextTick, ref } from 'vue'

import type { Character } from '@/stores/cast'
import type { Clip } from '@/stores/library'
import { useSweep } from './useSweep'

function board(rows = 4, columns = 3) {
  const clips = ref(Array.from({ length: rows }, (_, n) => ({ id: n + 1 }) as Clip))
  const cast = ref(Array.from({ length: columns }, (_, n) => ({ id: 10 * (n + 1) }) as Character))
  return { clips, cast, ...useSweep(clips, cast) }
}

test('a rectangle is drawn either way and ends at the edge of the board', () => {
  const sweep = board()
  sweep.begin({ row: 2, column: 1 }, false)
  sweep.extend({ row: 1, column: 0 })
  expect(sweep.cells.value).toEqual([
    [2, 10],
    [2, 20],
    [3, 10],
    [3, 20],
  ])
  sweep.extend({ row: 99, column: 99 })
  expect(sweep.cells.value).toEqual([
    [3, 20],
    [3, 30],
    [4, 20],
    [4, 30],
  ])
})

test('what is begun on a chosen cell with more is taken away again', () => {
  const sweep = board()
  sweep.toggle(
    [
      [1, 10],
      [1, 20],
      [2, 10],
    ],
    false,
  )
  sweep.begin({ row: 0, column: 0 }, true)
  sweep.extend({ row: 0, column: 1 })
  expect(sweep.cells.value).toEqual([[2, 10]])
})

test('the keyboard moves without choosing, and draws on with shift', () => {
  const sweep = board()
  sweep.move(1, 1, false)
  expect(sweep.cells.value).toEqual([])
  sweep.move(1, 0, true)
  expect(sweep.cells.value).toEqual([
    [2, 20],
    [3, 20],
  ])
})

test('a row that is chosen as a whole is let go as a whole', () => {
  const sweep = board(2, 2)
  const row: [number, number][] = [
    [1, 10],
    [1, 20],
  ]
  sweep.toggle(row, true)
  sweep.toggle(row, true)
  expect(sweep.cells.value).toEqual([])
})

test('what is not shown any more is not chosen any more', async () => {
  const sweep = board()
  sweep.toggle(
    [
      [1, 10],
      [4, 30],
    ],
    false,
  )
  sweep.clips.value = sweep.clips.value.slice(0, 2)
  await nextTick()
  expect(sweep.cells.value).toEqual([[1, 10]])
  expect(sweep.chosen.value.size).toBe(1)
})
