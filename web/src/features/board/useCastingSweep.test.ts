import { describe, expect, it } from 'vitest'
import { nextTick, ref } from 'vue'

import { useCastingSweep } from './useCastingSweep'

const sheet = () => {
  const rows = ref([[1, 2, 3], [], [4], [5, 6]])
  return { rows, sweep: useCastingSweep(rows) }
}

describe('castings that are swept', () => {
  it('begins with one, adds others and takes one away again', () => {
    const { sweep } = sheet()
    sweep.begin(2, false)
    sweep.begin(5, true)
    expect(sweep.cells.value).toEqual([2, 5])
    sweep.begin(2, true)
    expect(sweep.cells.value).toEqual([5])
    sweep.begin(1, false)
    expect(sweep.cells.value).toEqual([1])
    expect(sweep.at.value).toEqual({ row: 0, column: 0 })
  })
  it('takes a stretch in the order of reading, either way, and gives back what is left of it', () => {
    const { sweep } = sheet()
    sweep.begin(3, false)
    sweep.extend(5)
    expect(sweep.cells.value).toEqual([3, 4, 5])
    sweep.extend(2)
    expect(sweep.cells.value).toEqual([2, 3])
  })
  it('is walked through by key over rows of different lengths and past empty ones', () => {
    const { sweep } = sheet()
    sweep.move(0, 2, false)
    expect(sweep.idAt(sweep.at.value)).toBe(3)
    sweep.move(1, 0, false)
    expect(sweep.idAt(sweep.at.value)).toBe(4)
    sweep.move(8, 0, true)
    expect([sweep.idAt(sweep.at.value), sweep.cells.value]).toEqual([5, [4, 5]])
    sweep.move(-8, -9, false)
    expect(sweep.idAt(sweep.at.value)).toBe(1)
  })
  it('leaves go of what is not shown any more', async () => {
    const { rows, sweep } = sheet()
    sweep.toggle([4, 5, 6], false)
    rows.value = [[1, 2, 3], [4]]
    await nextTick()
    expect(sweep.cells.value).toEqual([4])
    sweep.toggle([4], true)
    expect(sweep.cells.value).toEqual([])
  })
})
