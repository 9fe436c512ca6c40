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

it('goes along with one that takes its place, where any will do, and ends where a person stops that', async () => {
  const { finish } = studio()
  const { bind, cancel } = scope.run(() => useBinding(7))!
  const any = bind(true)
  const looked = [bind(), bind()]
  finish({ detail: 'It was stopped.' }, 422)
  finish({ detail: 'It was stopped.' }, 422)
  finish({ names: ['hips', 'chest'] })
  expect(await any).toEqual({ names: ['hips', 'chest'] })
  await expect(looked[0]).rejects.toBeInstanceOf(GivenUp)
  const stopped = bind(true)
  void bind().catch(() => undefined)
  await cancel()
  finish({ detail: 'It was stopped.' }, 422)
  finish({ detail: 'It was stopped.' }, 422)
  await expect(stopped).rejects.toBeInstanceOf(GivenUp)
})

it('gives up one that another takes the place of, and that is no stop', async () => {
  const { finish } = studio()
  const { bind, stopped } = scope.run(() => useBinding(7))!
  const first = bind()
  const second = bind()
  finish({ detail: 'It was stopped.' }, 422)
  await expect(first).rejects.toBeInstanceOf(GivenUp)
  expect(stopped.value).toBe(false)
  finish({ detail: 'It is damaged.' }, 422)
  await expect(second).rejects.toThrow('It is damaged.')
})
