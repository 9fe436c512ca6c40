import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'

import { client, Conflict } from '@/api/client'
import { useChanges } from '@/stores/changes'
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
  const failed = vi.spyOn(useMessages(), 'fail').mockResolvedValue(undefined)
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

/** What the studio answers when somebody asks for the fitting. */
const answers = (data: Fitting | undefined) =>
  vi.spyOn(client, 'GET').mockResolvedValue({ data, response: new Response() } as never)

test('where another was before, theirs is shown, and mine can be made again on top of it', async () => {
  answers(state(7))
  const shown: number[] = []
  const { fitting, run } = useFitting(
    () => 1,
    () => ({}),
    () => shown.push(fitting.value!.revision),
  )
  fitting.value = state(3)
  const change = vi.fn().mockRejectedValueOnce(new Conflict('Somebody else has changed the hips.'))
  change.mockResolvedValueOnce(state(8))
  await run(change)
  expect([fitting.value!.revision, shown]).toEqual([7, [7]])
  const [message] = useMessages().list
  expect([message.text, message.act?.label]).toEqual(['Somebody else has changed the hips.', 'Apply again'])
  await message.act!.run()
  expect([fitting.value!.revision, change.mock.calls.length, shown]).toEqual([8, 2, [7, 8]])
})

test('what somebody else changes is seen, and nothing is fetched again that has not changed', async () => {
  const heard: (() => unknown)[] = []
  vi.spyOn(useChanges(), 'on').mockImplementation((subjects, work) => {
    if (subjects.includes('fittings'))
      heard.push(() => work([{ subjects: ['fittings'], path: '/api/fittings/1/edits' }]))
  })
  const asked = answers(undefined)
  const { fitting } = useFitting(
    () => 1,
    () => ({}),
    () => undefined,
  )
  fitting.value = { ...state(3), how: 'confirmed hips' } as Fitting
  heard[0]()
  await flush()
  expect(asked.mock.calls[0][1]).toMatchObject({ headers: { 'If-None-Match': '"3"' } })
  expect([fitting.value.revision, useMessages().list.length]).toEqual([3, 0])
  answers({ ...state(4), how: 'confirmed head' } as Fitting)
  heard[0]()
  await flush()
  expect(fitting.value.revision).toBe(4)
  expect(useMessages().list[0].text).toBe('Somebody else has changed this fitting: confirmed head.')
})
