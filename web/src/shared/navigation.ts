import type { RouteLocationNormalized, Router } from 'vue-router'

const pending = new WeakMap<Router, RouteLocationNormalized>()

/**
 * Keeps track of where somebody is on the way to while the view there is fetched. To be called before anybody else adds
 * guards: dialogs add some that wait for a beat, and in that beat nobody would know.
 */
export function trackNavigation(router: Router) {
  // What was overtaken ends, too, after what overtook it has begun.
  const ended = (to: RouteLocationNormalized) => pending.get(router) === to && pending.delete(router)
  router.beforeEach((to) => void pending.set(router, to))
  router.afterEach((to) => void ended(to))
  router.onError((_, to) => void ended(to))
}

/**
 * Where somebody is on the way to. Any other navigation, even to where one is already, would call them back without a
 * word: whatever navigates unasked looks here before.
 */
export const pendingNavigation = (router: Router) => pending.get(router)
