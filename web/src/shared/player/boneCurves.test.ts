import { describe, expect, it } from 'vitest'

import { curveOf } from './boneCurves'

/** Three points in a row that go up by a metre a frame; the last one bends over. */
const values = new Float32Array([0, 0, 0, 0, 1, 0, 0, 2, 0, 0, 1, 0, 0, 2, 0, 1, 2, 0])
const positions = { frames: 2, points: 3, values }
const parents = [-1, 0, 1]

describe('curves of a bone', () => {
  it('are its height, its speed and how it bends', () => {
    expect([...curveOf('height', positions, 1, parents, 30)]).toEqual([100, 200])
    expect([...curveOf('speed', positions, 0, parents, 30)]).toEqual([3000, 3000])
    const [straight, bent] = curveOf('bend', positions, 1, parents, 30)
    expect(straight).toBeCloseTo(0)
    expect(bent).toBeCloseTo(90)
    expect([...curveOf('bend', positions, 0, parents, 30)]).toEqual([0, 0])
  })
})
