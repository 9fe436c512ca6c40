import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { computed, ref } from 'vue'

import { client } from '@/api/client'
import { useReviewQueue, type QueueRow } from './useReviewQueue'

const replace = vi.fn()
vi.mock('vue-router', () => ({ useRouter: () => ({ replace }) }))

const row = (id: number, state = 'good', note = '') =>
  ({ id, clip_id: id * 10, character_id: 1, state, note }) as unknown as QueueRow
const answers = (rows: QueueRow[]) =>
  vi.spyOn(client, 'POST').mockResolvedValueOnce({ data: rows, response: new Response() } as never)

beforeEach(() => {
  sessionStorage.clear()
  setActivePinia(createPinia())
  replace.mockClear()
})
async function loaded(asked: number, rows: QueueRow[]) {
  const address = ref(asked)
  const queue = useReviewQueue(computed(() => address.value))
  answers(rows)
  await queue.load()
  return { queue, address }
}

describe('the queue of the review', () => {
  it('begins with the first where the address names none', async () => {
    const { queue, address } = await loaded(0, [row(4), row(5), row(6)])
    expect([queue.id.value, queue.index.value, queue.left.value]).toEqual([4, 0, 3])
    address.value = 6
    expect([queue.id.value, queue.index.value]).toEqual([6, 2])
    address.value = 99 // not in the queue
    expect([queue.id.value, queue.index.value, queue.current.value]).toEqual([99, -1, undefined])
  })
  it('is stepped through to its ends and no further', async () => {
    const { queue, address } = await loaded(5, [row(4), row(5), row(6)])
    queue.step(1)
    expect(replace).toHaveBeenLastCalledWith('/review/6')
    address.value = 6
    queue.step(1)
    expect(replace).toHaveBeenLastCalledWith('/review/6')
    queue.step(-5)
    expect(replace).toHaveBeenLastCalledWith('/review/4')
  })
  it('goes on to what nobody has judged, round to its start', async () => {
    const { queue } = await loaded(6, [row(3, 'accepted'), row(4), row(5, 'good', 'mend it'), row(6, 'accepted')])
    expect(queue.left.value).toBe(1)
    queue.goOn()
    expect(replace).toHaveBeenLastCalledWith('/review/4')
  })
  it('stays where everything is judged', async () => {
    const { queue } = await loaded(3, [row(3, 'accepted'), row(4, 'accepted')])
    queue.goOn()
    expect(replace).not.toHaveBeenCalled()
  })
  it('keeps its order while what it says is looked up again', async () => {
    const { queue } = await loaded(4, [row(4), row(5)])
    const asked = answers([row(5, 'accepted'), row(4)])
    await queue.refresh()
    expect(asked.mock.lastCall?.[1]).toMatchObject({
      body: {
        cells: [
          [40, 1],
          [50, 1],
        ],
      },
    })
    expect(queue.rows.value?.map(({ id, state }) => [id, state])).toEqual([
      [4, 'good'],
      [5, 'accepted'],
    ])
  })
  it('is whole although something is looked up again while it is being loaded', async () => {
    const { queue } = await loaded(4, [row(4)])
    let answer: (given: unknown) => void = () => undefined
    vi.spyOn(client, 'POST').mockReturnValueOnce(new Promise((done) => (answer = done)) as never)
    const loading = queue.load()
    const asked = answers([row(4, 'accepted'), row(5), row(6)])
    const refreshing = queue.refresh()
    answer({ data: [row(4), row(5), row(6)], response: new Response() })
    await Promise.all([loading, refreshing])
    expect(asked.mock.lastCall?.[1]).toMatchObject({
      body: {
        cells: [
          [40, 1],
          [50, 1],
          [60, 1],
        ],
      },
    })
    expect(queue.rows.value?.map(({ id, state }) => [id, state])).toEqual([
      [4, 'accepted'],
      [5, 'good'],
      [6, 'good'],
    ])
  })
})
