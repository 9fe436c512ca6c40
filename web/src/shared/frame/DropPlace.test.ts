import { mount } from '@vue/test-utils'
import { expect, test, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'

import DropPlace from './DropPlace.vue'

const bringIn = vi.hoisted(() => vi.fn())
vi.mock('@/stores/intake', () => ({ useIntake: () => ({ bringIn }) }))
vi.mock('./dropped', () => ({ filesOf: async () => [new File([], 'watchman.glb')], hasFiles: () => true }))

const Empty = { template: '<p></p>' }

/** A page at an address whose view is still being fetched, and what has it come. */
function opening(path: string) {
  let arrive = () => {}
  const view = new Promise<typeof Empty>((resolve) => (arrive = () => resolve(Empty)))
  const history = createMemoryHistory()
  history.replace(path)
  const router = createRouter({
    history,
    routes: [
      { path: '/cast', name: 'cast', component: () => view },
      { path: '/board', name: 'board', component: () => view },
      { path: '/library/intake', name: 'intake', component: Empty },
    ],
  })
  const page = mount(DropPlace, { global: { plugins: [router] } })
  return { router, page, arrive }
}

test.each([
  ['/cast', '/cast'],
  ['/board', '/library/intake'],
])('what is dropped while %s is being fetched goes where it belongs', async (path, end) => {
  bringIn.mockClear()
  const { router, page, arrive } = opening(path)
  window.dispatchEvent(new Event('drop', { cancelable: true }))
  await new Promise((resolve) => setTimeout(resolve))
  arrive()
  await vi.waitFor(() => expect(bringIn).toHaveBeenCalledOnce())
  await vi.waitFor(() => expect(router.currentRoute.value.path).toBe(end))
  page.unmount()
})
