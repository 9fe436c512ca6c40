import { beforeEach, expect, test } from 'vitest'

import { client } from './client'

/** Requests as they go out, each answered with the next revision of its fitting. */
let sent: Request[] = []
let revision = 0
beforeEach(() => {
  sent = []
  revision = 10
})
const fetch = async (request: Request) => {
  sent.push(request)
  revision += 1
  return new Response('{}', { headers: { 'Content-Type': 'application/json', ETag: `"${revision}"` } })
}
const path = (fitting_id: number) => ({ params: { path: { fitting_id } }, baseUrl: 'http://studio.test', fetch })
const header = (name: string) => sent.map((request) => request.headers.get(name))

test('a change says on which revision of its fitting it is made, and every request who makes it', async () => {
  await client.GET('/api/fittings/{fitting_id}', path(1))
  await client.POST('/api/fittings/{fitting_id}/undo', path(1))
  await client.POST('/api/fittings/{fitting_id}/undo', path(1))
  await client.POST('/api/fittings/{fitting_id}/undo', path(2))
  await client.GET('/api/fittings/{fitting_id}', path(1))
  expect(header('If-Match')).toEqual([null, '"11"', '"12"', null, null])
  const who = header('Armuto-Session')
  expect(who[0]).toMatch(/^\w{8,}$/)
  expect(new Set(who).size).toBe(1)
})
