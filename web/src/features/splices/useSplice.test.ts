import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { effectScope } from 'vue'

import { client } from '@/api/client'
import { useSplice } from './useSplice'

const answers: ((row: object) => void)[] = []
const state = (lock_version: number) => ({ lock_version, clip_id: 3, splice: { spans: [lock_version], joins: [] } })
const said = (data: object) => Promise.resolve({ data, response: new Response('{}') })
beforeEach(() => {
  setActivePinia(createPinia())
  answers.length = 0
  vi.spyOn(client, 'GET').mockImplementation(((path: string) =>
    path === '/api/splices/{splice_id}'
      ? new Promise((done) => answers.push((data) => done({ data, response: new Response('{}') })))
      : said([])) as never)
})
afterEach(() => vi.restoreAllMocks())

test('a state that was asked for before a change does not come back after it', async () => {
  const { row, load, keep } = effectScope().run(() => useSplice(2, () => 0))!
  const first = load()
  answers[0](state(1))
  await first
  // Somebody's change of a clip has the splice looked at again, while one's own is on its way.
  const again = load()
  vi.spyOn(client, 'PATCH').mockImplementation((() => said(state(2))) as never)
  await keep({ spans: [2], joins: [] } as never)
  answers[1](state(1))
  await again
  expect(row.value?.lock_version).toBe(2)
  const later = load()
  answers[2](state(3))
  await later
  expect(row.value?.lock_version).toBe(3)
})
