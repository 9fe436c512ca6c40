import { mount } from '@vue/test-utils'
import { expect, it } from 'vitest'
import { defineComponent, nextTick, ref } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'

import { useRange } from './useRange'

function mounted(query: Record<string, string> = {}) {
  const [frames, clip] = [ref(100), ref(1)]
  let range!: ReturnType<typeof useRange>
  const View = defineComponent({
    setup() {
      range = useRange(frames, () => clip.value, query)
      return () => null
    },
  })
  const router = createRouter({ history: createMemoryHistory(), routes: [{ path: '/', component: View }] })
  mount(View, { global: { plugins: [router] } })
  return { range, frames, clip }
}

it('a range begins and ends where somebody says', () => {
  const { range } = mounted()
  expect([range.chosen.value, range.played.value]).toEqual([null, [0, 99]])
  range.begin(20)
  range.finish(40)
  expect(range.chosen.value).toEqual([20, 40])
  range.begin(60) // past its end: as far as the clip goes
  expect(range.played.value).toEqual([60, 99])
  range.finish(30) // before its beginning: from the clip's
  expect(range.played.value).toEqual([0, 30])
  range.set(-5, 400)
  expect(range.chosen.value).toBeNull()
})

it('another clip is played whole', async () => {
  const { range, clip } = mounted({ range: '10-20' })
  expect(range.played.value).toEqual([10, 20])
  clip.value = 2
  await nextTick()
  expect(range.played.value).toEqual([0, 99])
})

it('a range that the clip does not have, or that is none, is all of it', () => {
  const { range, frames } = mounted({ range: '50-80' })
  frames.value = 60
  expect(range.played.value).toEqual([50, 59])
  frames.value = 30
  expect(range.played.value).toEqual([0, 29])
  for (const text of ['7', 'x-y', '9-3', '-4-9']) expect(mounted({ range: text }).range.chosen.value).toBeNull()
})
