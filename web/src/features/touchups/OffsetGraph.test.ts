import { flushPromises, mount } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { shallowRef } from 'vue'

import { client } from '@/api/client'
import { useMessages } from '@/stores/messages'
import OffsetGraph from './OffsetGraph.vue'
import type { TouchUp } from './touchups'
import type { TouchUps } from './useTouchUps'

beforeEach(() => setActivePinia(createPinia()))

const touchup = { channel: 'rotation', label: 'head', against: '', keys: [] } as unknown as TouchUp
const touchups = {
  layer: shallowRef({ name: 'Touch-up', touchups: [touchup] }),
  path: () => ({ params: { path: { fitting_id: 1, clip_id: 1 } } }),
} as unknown as TouchUps
async function answered(status: number, data: unknown) {
  const response = new Response(null, { status })
  vi.spyOn(client, 'GET').mockResolvedValue((status < 400 ? { data, response } : { error: data, response }) as never)
  const shown = mount(OffsetGraph, { props: { touchups, touchup, number: 0, frames: 3, frame: 0 } })
  await flushPromises()
  return shown.findAll('path').map((line) => line.attributes('d'))
}

it('draws the curve of a touch-up', async () => {
  const drawn = await answered(200, {
    frames: [0, 1, 2],
    values: [
      [0, 0, 0],
      [1, 0, 0],
      [0, 0, 0],
    ],
    turns: [],
  })
  expect(drawn.length).toBe(3)
  expect(drawn[0]).toMatch(/^M.*L.*L/)
})

it('is empty, without a word, where the touch-up was taken back before the studio answered', async () => {
  const gone = '“Touch-up” has no such touch-up; it was removed meanwhile.'
  expect((await answered(422, { detail: gone })).every((line) => !line)).toBe(true)
  expect(useMessages().list).toEqual([])
})
