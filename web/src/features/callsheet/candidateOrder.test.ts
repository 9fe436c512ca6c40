import { expect, test } from 'vitest'

import { keepOrder } from './candidateOrder'

test('clips that are listed keep their places, and others come after them', () => {
  expect(keepOrder([4, 7, 2], [9, 2, 4, 7, 1], new Set([1, 2, 4, 7, 9]))).toEqual([4, 7, 2, 9, 1])
})

test('a clip that fits no more keeps its place, and goes with its clip', () => {
  expect(keepOrder([4, 7, 2], [2], new Set([2, 4, 7]))).toEqual([4, 7, 2])
  expect(keepOrder([4, 7, 2], [2], new Set([2, 4]))).toEqual([4, 2])
})

test('the best come first where nothing is listed', () => {
  expect(keepOrder([], [9, 2, 4], new Set([2, 4, 9]))).toEqual([9, 2, 4])
})
