import { describe, expect, it } from 'vitest'

import { carriedBy, carriedOn, sampled, shownAt } from './curves'

/** Three points in a row that go up by a metre a frame; the last one bends over. */
const values = new Float32Array([0, 0, 0, 0, 1, 0, 0, 2, 0, 0, 1, 0, 0, 2, 0, 1, 2, 0])
const positions = { frames: 2, points: 3, values }

describe('a take as a refined clip shows it', () => {
  it('lies between its frames', () => {
    const made = sampled(positions, new Float32Array([1, 0.5, 0]))
    expect(made.frames).toBe(3)
    expect([made.values[1], made.values[10], made.values[19]]).toEqual([1, 0.5, 0])
  })
  it('is found again by the frame of the take', () => {
    expect(shownAt(new Float32Array([4, 5, 6, 4, 5, 6]), 5)).toBe(1)
    expect(shownAt(new Float32Array([4, 4.5, 5]), 20)).toBe(2)
  })
})

it('a loop is carried on along its path', () => {
  // Three points that turn by 90° about up and go on by (2, 1).
  const first = [1, 0, 0, 0, 1, 0, 0, 2, 1]
  const last = [2, 0, 0, 2, 1, 1, 3, 2, 1] // x' = 2 + z, z' = 1 - x
  const by = carriedBy({ frames: 2, points: 3, values: new Float32Array([...first, ...last]) })
  expect([by.turn, by.x, by.z].map((value) => +value.toFixed(5))).toEqual([+(Math.PI / 2).toFixed(5), 2, 1])
  expect(carriedOn(by, 0)).toEqual({ turn: 0, x: 0, z: 0 })
  const round = carriedOn(by, 4)
  expect(round.turn).toBeCloseTo(Math.PI * 2)
  expect(Math.hypot(round.x, round.z)).toBeCloseTo(0)
})
