import { effectScope } from 'vue'
import { expect, it, vi } from 'vitest'

import { client } from '@/api/client'
import { GivenUp, useBinding } from './useBinding'

const scope = effectScope()

/** A studio that binds as long as nobody lets it, and knows how far it is. */
function studio() {
  const waiting: ((answer: unknown) => void)[] = []
  const reply = (data: unknown, status = 200) =>
    status < 400
      ? { data, response: new Response(null, { status }) }
      : { error: data, response: new Response(null, { status }) }
  vi.spyOn(client, 'GET').mockImplementation(((path: string) =>
    path.endsWith('/binding')
      ? new Promise((resolve) => waiting.push(resolve))
      : Promise.resolve(reply({ share: 0.4, doing: 'Filling the body' }))) as never)
  const deleted = vi.spyOn(client, 'DELETE').mockImplementation((() => Promise.resolve(reply(undefined, 204))) as never)
  return { deleted, finish: (body: unknown, status?: number) => waiting.shift()!(reply(body, status)) }
}

it('says how far a binding is, and nothing when it is done', async () => {
  const { finish } = studio()
  const { bind, share, doing, stopped } = scope.run(() => useBinding(7))!
  const bound = bind()
  await vi.waitFor(() => expect([share.value, doing.value]).toEqual([0.4, 'Filling the body']))
  finish({ names: ['hips'] })
  expect(await bound).toEqual({ names: ['hips'] })
  expect([share.value, stopped.value]).toEqual([null, false])
})

it('gives up what is under way, and tells that from a failure', async () => {
  const { deleted, finish } = studio()
  const { bind, cancel, share, stopped } = scope.run(() => useBinding(7))!
  const bound = bind()
  await vi.waitFor(() => expect(share.value).toBe(0.4))
  await cancel()
  expect(deleted).toHaveBeenCalledOnce()
  expect([share.value, stopped.value]).toEqual([null, true])
  finish({ detail: 'It was stopped.' }, 422)
  await expect(bound).rejects.toBeInstanceOf(GivenUp)
})

it('goes along with one that takes its place, which is no stop, and fails with it', async () => {
  const { finish } = studio()
  const { bind, stopped } = scope.run(() => useBinding(7))!
  const bound = [bind(), bind(), bind()]
  finish({ detail: 'It was stopped.' }, 422)
  finish({ detail: 'It was stopped.' }, 422)
  expect(stopped.value).toBe(false)
  finish({ names: ['hips', 'chest'] })
  expect(await Promise.all(bound)).toEqual(bound.map(() => ({ names: ['hips', 'chest'] })))
  const failing = [bind(), bind()]
  finish({ detail: 'It was stopped.' }, 422)
  finish({ detail: 'It is damaged.' }, 422)
  for (const each of failing) await expect(each).rejects.toThrow('It is damaged.')
})

it('is given up with one that has taken its place, where a person stops that', async () => {
  const { finish } = studio()
  const { bind, cancel } = scope.run(() => useBinding(7))!
  const bound = [bind(), bind()]
  const ended = bound.map((each) => expect(each).rejects.toBeInstanceOf(GivenUp))
  await cancel()
  finish({ detail: 'It was stopped.' }, 422)
  finish({ detail: 'It was stopped.' }, 422)
  await Promise.all(ended)
})
