import { describe, expect, it } from 'vitest'

import { arraysOf, DELTAS } from './client'

const answer = (headers: Record<string, string>) =>
  new Response(null, { headers: { 'X-Armuto-Fps': '30', ...headers } })

describe('arrays', () => {
  it('are read as they are', () => {
    const data = new Float32Array([1, 2, 3, 4, 5]).buffer
    const { blocks, fps } = arraysOf(answer({ 'X-Armuto-Shape': '2,2;1' }), data)
    expect(fps).toBe(30)
    expect(blocks.map(({ shape, values }) => [shape, [...values]])).toEqual([
      [
        [2, 2],
        [1, 2, 3, 4],
      ],
      [[1], [5]],
    ])
  })

  it('are summed up from differences', () => {
    // Rows (1, -2), (0, 5) and (-300, 5) in steps of a half; then a single 0.25.
    const zigzag = [[4, 3, 1199, 7, 28, 0], [2]]
    const bytes = zigzag.flatMap((block) => [0, 8, 16, 24].flatMap((shift) => block.map((n) => (n >>> shift) & 255)))
    const headers = { 'X-Armuto-Shape': '3,2;1', 'X-Armuto-Step': '0.5;0.25', 'Content-Type': DELTAS }
    const { blocks } = arraysOf(answer(headers), new Uint8Array(bytes).buffer)
    expect([...blocks[0].values]).toEqual([1, -2, 0, 5, -300, 5])
    expect([...blocks[1].values]).toEqual([0.25])
  })
})
