import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { effectScope } from 'vue'

import { pageId } from '@/api/concurrency'
import { useChanges, type Change } from './changes'

class Stream extends EventTarget {
  static opened: Stream[] = []
  closed = false
  constructor(public url: string) {
    super()
    Stream.opened.push(this)
  }
  close() {
    this.closed = true
  }
  send(type: string, id: number, data: object = {}) {
    this.dispatchEvent(new MessageEvent(type, { data: JSON.stringify(data), lastEventId: `${id}` }))
  }
}
let hidden = false
function show(now: boolean) {
  hidden = !now
  document.dispatchEvent(new Event('visibilitychange'))
}

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', Stream)
  vi.spyOn(document, 'visibilityState', 'get').mockImplementation(() => (hidden ? 'hidden' : 'visible'))
  Stream.opened = []
  hidden = false
  setActivePinia(createPinia())
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
  vi.restoreAllMocks()
})
const scope = effectScope()

test('a page hears what others change of what it shows, gathered, and nothing that it did itself', async () => {
  const changes = useChanges()
  const [library, cast]: [Change[][], Change[][]] = [[], []]
  scope.run(() => {
    changes.follow()
    changes.on(['library'], (rows) => library.push(rows))
    changes.on(['cast', 'stances'], (rows) => cast.push(rows))
  })
  const [stream] = Stream.opened
  expect(stream.url).toBe('/api/changes')
  stream.send('begin', 4)
  stream.send('message', 5, { subjects: ['library'], path: '/api/library/clips/1', page: 'other' })
  stream.send('message', 6, { subjects: ['library', 'stances'], path: '/api/library/clips/2', page: 'other' })
  stream.send('message', 7, { subjects: ['library', 'cast'], path: '/api/cast/2', page: pageId })
  await vi.advanceTimersByTimeAsync(1000)
  expect(library.map((rows) => rows.map((row) => row.path))).toEqual([['/api/library/clips/1', '/api/library/clips/2']])
  expect(cast.map((rows) => rows.length)).toEqual([1])
  stream.send('missed', 900)
  await vi.advanceTimersByTimeAsync(1000)
  expect([library.length, cast.length]).toEqual([2, 2])
  scope.stop()
  expect(stream.closed).toBe(true)
})

test('a window that is not in view holds no connection, and goes on where it was', async () => {
  const own = effectScope()
  own.run(() => useChanges().follow())
  Stream.opened[0].send('begin', 41)
  show(false)
  await vi.advanceTimersByTimeAsync(0)
  expect(Stream.opened[0].closed).toBe(true)
  show(true)
  await vi.advanceTimersByTimeAsync(0)
  expect(Stream.opened.map((stream) => stream.url)).toEqual(['/api/changes', '/api/changes?after=41'])
  own.stop()
})
