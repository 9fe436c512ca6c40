import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'

import { client } from '@/api/client'
import { useMessages } from './messages'
import { useRuns } from './runs'

const run = { id: 1, title: 'The night', total: 4, through: 1, running: 1, good: 4, look: 0, wrong: 0, failed: 0 }
let counts: object = {}
const told: string[] = []
class Notified {
  static permission = 'default'
  static requestPermission = vi.fn(() => Promise.resolve('granted'))
  constructor(_: string, { body }: { body: string }) {
    told.push(body)
  }
}
beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
  vi.stubGlobal('Notification', Notified)
  vi.spyOn(client, 'GET').mockImplementation((() =>
    Promise.resolve({ data: counts, response: new Response('{}') })) as never)
  localStorage.removeItem('armuto.asked to tell')
  told.length = 0
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
})

test('a long run is offered to be told of, once; its end is told to who looks elsewhere', async () => {
  const [runs, messages] = [useRuns(), useMessages()]
  counts = { runs: [{ ...run, left: 12 }], finished: null }
  await runs.refresh()
  expect(messages.list).toEqual([])
  counts = { runs: [{ ...run, left: 300 }], finished: null }
  await runs.refresh()
  await runs.refresh()
  expect(messages.list.map(({ act }) => act?.label)).toEqual(['Tell me'])
  await messages.list[0].act!.run()
  expect(Notified.requestPermission).toHaveBeenCalledOnce()
  Notified.permission = 'granted'
  vi.spyOn(document, 'hidden', 'get').mockReturnValue(true)
  counts = { runs: [], finished: { ...run, through: 4 } }
  await runs.refresh()
  expect(told).toEqual(['The night: all 4 transfers are through, 4 good.'])
  // Who looks at the page reads it there.
  vi.spyOn(document, 'hidden', 'get').mockReturnValue(false)
  counts = { runs: [], finished: { ...run, id: 2, through: 4 } }
  await runs.refresh()
  expect(told).toHaveLength(1)
  expect(messages.list.at(-1)?.text).toContain('all 4 transfers are through')
})

test('looks that overlap say the end of a run once, and an answer that comes late changes nothing', async () => {
  const [runs, messages] = [useRuns(), useMessages()]
  const before = { runs: [run], finished: null }
  const after = { runs: [], finished: { ...run, through: 4 } }
  counts = before
  await runs.refresh()
  counts = after
  await Promise.all([runs.refresh(), runs.refresh()])
  expect(messages.list).toHaveLength(1)
  let late: (answer: object) => void = () => {}
  vi.spyOn(client, 'GET').mockImplementationOnce((() => new Promise((resolve) => (late = resolve))) as never)
  const first = runs.refresh()
  await runs.refresh()
  late({ data: before, response: new Response('{}') })
  await first
  expect(runs.running).toEqual([])
  expect(messages.list).toHaveLength(1)
})
