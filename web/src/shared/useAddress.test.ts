import { mount } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import { createMemoryHistory, createRouter, RouterView } from 'vue-router'

import { useAddress } from './useAddress'

/** All files share a window: what is left pretended here would stop others. */
afterEach(() => void vi.useRealTimers())

async function opened() {
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  const frame = ref(0)
  let fetched!: (view: object) => void
  const Here = defineComponent({
    setup() {
      useAddress({ frame: () => (frame.value ? String(frame.value) : '') })
      return () => null
    },
  })
  const There = { render: () => null }
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/here', component: Here },
      { path: '/there', component: () => new Promise<object>((resolve) => (fetched = resolve)) as never },
    ],
  })
  await router.push('/here')
  mount({ render: () => h(RouterView) }, { global: { plugins: [router] } })
  await router.isReady()
  const pause = async () => {
    await nextTick()
    await vi.advanceTimersByTimeAsync(200)
  }
  return { router, frame, pause, arrive: () => fetched(There) }
}

it('what is set up comes into the address once it rests', async () => {
  const { router, frame, pause } = await opened()
  frame.value = 7
  frame.value = 8
  await pause()
  expect(router.currentRoute.value.fullPath).toBe('/here?frame=8')
  frame.value = 0
  await pause()
  expect(router.currentRoute.value.fullPath).toBe('/here')
})

it('nobody who is on the way to another view is called back by it', async () => {
  const { router, frame, pause, arrive } = await opened()
  frame.value = 8
  await nextTick()
  const going = router.push('/there')
  await pause()
  arrive()
  await going
  expect(router.currentRoute.value.fullPath).toBe('/there')
})
