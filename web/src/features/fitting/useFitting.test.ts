import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'

import { useMessages } from '@/stores/messages'
import { useFitting } from './useFitting'
import type { Fitting } from './weave'

const state = (revision: number) => ({ id: 1, revision, pairs: [] }) as unknown as Fitting
const flush = () => new Promise((done) => setTimeout(done))

beforeEach(() => setActivePinia(createPinia()))

test('changes are made one after another, in their order, though the first is answered last', async () => {
  const { fitting, run, busy } = useFitting(
    () => 1,
    () => ({}),
    () => undefined,
  )
  fitting.value = state(0)
  const [asked, answers]: [number[], ((fitting: Fitting) => void)[]] = [[], []]
  const change = (n: number) => run(() => (asked.push(n), new Promise((answer) => answers.push(answer))))
  const both = Promise.all([change(1), change(2)])
  await flush()
  expect(asked).toEqual([1])
  expect(busy.value).toBe(true)
  answers[0](state(1))
  await flush()
  expect(asked).toEqual([1, 2])
  answers[1](state(2))
  await both
  expect(fitting.value.revision).toBe(2)
  expect(busy.value).toBe(false)
})

test('a change that fails is said, and the next is made all the same', async () => {
  const changed = vi.fn()
  const { fitting, run } = useFitting(
    () => 1,
    () => ({}),
    changed,
  )
  fitting.value = state(0)
  const failed = vi.spyOn(useMessages(), 'fail').mockImplementation(() => undefined)
  await Promise.all([run(() => Promise.reject(new Error('no'))), run(() => Promise.resolve(state(1)))])
  expect(failed).toHaveBeenCalledOnce()
  expect(fitting.value.revision).toBe(1)
  expect(changed).toHaveBeenCalledOnce()
})

test('what changes nothing asks for no new picture', async () => {
  const changed = vi.fn()
  const { fitting, run } = useFitting(
    () => 1,
    () => ({}),
    changed,
  )
  fitting.value = state(3)
  await run(() => Promise.resolve(state(3)))
  expect(changed).not.toHaveBeenCalled()
})
