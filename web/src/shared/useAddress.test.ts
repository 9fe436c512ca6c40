import { mount } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'
import { createMemoryHistory, createRouter, RouterView } from 'vue-router'

import { pendingNavigation, trackNavigation } from './navigation'
import { useAddress } from './useAddress'

/** All files share a window: what is left pretended here would stop others. */
afterEach(() => void vi.useRealTimers())

/** What is asked before a navigation, as by a dialog that looks whether it is closed by it, takes a moment. */
const hesitate = () => new Promise<void>((resolve) => setTimeout(resolve, 150))

async function opened(hesitant = false) {
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
  trackNavigation(router)
  await router.push('/here')
  if (hesitant) router.beforeEach(hesitate)
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

it('nor by what would be written while it is asked whether they may leave', async () => {
  const { router, frame, pause, arrive } = await opened(true)
  frame.value = 8
  await nextTick()
  const going = router.push('/there')
  await pause()
  arrive()
  expect(await going).toBeUndefined()
  expect(router.currentRoute.value.fullPath).toBe('/there')
})

it('a navigation that was overtaken does not end the one that overtook it', async () => {
  const { router, frame, pause, arrive } = await opened()
  router.beforeEach(hesitate)
  const overtaken = router.replace('/here?frame=3')
  const going = router.push('/there')
  await vi.advanceTimersByTimeAsync(200)
  expect(await overtaken).toBeTruthy()
  expect(pendingNavigation(router)?.path).toBe('/there')
  frame.value = 8
  await pause()
  arrive()
  await going
  expect(router.currentRoute.value.fullPath).toBe('/there')
  expect(pendingNavigation(router)).toBeUndefined()
})
