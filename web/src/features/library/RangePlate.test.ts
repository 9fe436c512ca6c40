import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'

import RangePlate from './RangePlate.vue'

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

test('the answer to an earlier range does not take a later one back', async () => {
  const answers: (() => void)[] = []
  const tell = vi.fn(() => new Promise<void>((done) => answers.push(done)))
  const take = { plate: null, name: 'walk', frames: 151, fps: 30, first: 0, last: 150, tell }
  const view = mount(RangePlate, { props: take })
  const [first, last] = view.findAll('[role=slider]')
  const shown = () => [first, last].map((handle) => Number(handle.attributes('aria-valuenow')))

  await first.trigger('keydown', { key: 'ArrowRight' })
  vi.advanceTimersByTime(300)
  await last.trigger('keydown', { key: 'PageDown' })
  vi.advanceTimersByTime(300)
  expect(tell.mock.calls).toEqual([
    [1, 150],
    [1, 140],
  ])
  await view.setProps({ first: 1 })
  answers[0]()
  await flushPromises()
  expect(shown()).toEqual([1, 140])
  await view.setProps({ last: 140 })
  answers[1]()
  await flushPromises()
  expect(shown()).toEqual([1, 140])

  // What the studio refused is shown as the studio has it.
  await last.trigger('keydown', { key: 'PageUp' })
  vi.advanceTimersByTime(300)
  expect(shown()).toEqual([1, 150])
  answers[2]()
  await flushPromises()
  expect(shown()).toEqual([1, 140])
})

test('back where it was while something else is on its way is told, too', async () => {
  const answers: (() => void)[] = []
  const tell = vi.fn(() => new Promise<void>((done) => answers.push(done)))
  const view = mount(RangePlate, {
    props: { plate: null, name: 'walk', frames: 151, fps: 30, first: 0, last: 150, tell },
  })
  const [, last] = view.findAll('[role=slider]')
  await last.trigger('keydown', { key: 'PageDown' })
  vi.advanceTimersByTime(300)
  await last.trigger('keydown', { key: 'PageUp' })
  vi.advanceTimersByTime(300)
  expect(tell.mock.calls).toEqual([
    [0, 140],
    [0, 150],
  ])
})
