import { watchDebounced } from '@vueuse/core'
import { nextTick } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { pendingNavigation } from './navigation'

const PAUSE = 120 // milliseconds: a playhead that is drawn along does not write at every frame

/**
 * Keeps what somebody set up in a view in the query of its address, so that a reload, Back and a copied link come to
 * the same. Nothing is added to the history by it.
 *
 * values: by their names; an empty one is left out of the address, and what is undefined stays there as it is.
 */
export function useAddress(values: Record<string, () => string | undefined>) {
  const route = useRoute()
  const router = useRouter()
  const now = () => Object.entries(values).map(([name, value]) => [name, value()] as const)
  watchDebounced(
    () => JSON.stringify([route.path, Object.fromEntries(now())]),
    async (text) => {
      await nextTick()
      const [own, set] = JSON.parse(text) as [string, Record<string, string>]
      // Whoever has left for another view writes nothing into its address.
      if (route.path !== own || (pendingNavigation(router)?.path ?? own) !== own) return
      const query = { ...route.query }
      for (const [name, value] of Object.entries(set)) {
        if (value === '') delete query[name]
        else query[name] = value
      }
      if (router.resolve({ query }).fullPath !== router.resolve({ query: route.query }).fullPath)
        await router.replace({ query })
    },
    { debounce: PAUSE },
  )
}

/** A value of the query as text; empty where there is none. */
export const asked = (value: unknown) => (typeof value === 'string' ? value : '')
