import { onScopeDispose, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { fetchRefined, tryRecipe, type Refined } from '@/api/motion'
import { useLatest } from '@/shared/useLatest'
import type { Recipe } from './recipe'

/** A clip as its recipe has it, or as one that is tried would, and what the studio measures of it. */
export function useRefining(id: number) {
  const refined = shallowRef<Refined | null>(null)
  const analysis = shallowRef<Schemas['RefiningOut'] | null>(null)
  const measuring = ref(false)
  const shown = useLatest()
  const known = useLatest()
  const show = (answer: Refined) => void (refined.value = answer)

  const load = () => shown(() => fetchRefined(id), show)
  let waiting: Recipe | null = null
  let busy: Promise<void> | null = null
  /** Show what a recipe would make, the newest of those that are asked for while one is worked out. */
  async function attempt(recipe: Recipe) {
    waiting = recipe
    busy ??= (async () => {
      try {
        while (waiting) {
          const next: Recipe = waiting
          waiting = null
          await shown(() => tryRecipe(id, next), show)
        }
      } finally {
        busy = null
      }
    })()
    await busy
  }
  let asked = 0
  onScopeDispose(() => asked++)
  /** Measure it anew; what was known stays until then. */
  async function measure() {
    measuring.value = true
    const mine = ++asked
    const path = { params: { path: { clip_id: id } } }
    try {
      await known(
        async () => {
          // Long clips are measured by the worker.
          let found = await answer(client.GET('/api/library/clips/{clip_id}/refining', path))
          for (let wait = 500; !('effects' in found) && mine === asked; wait = Math.min(4000, wait * 1.5)) {
            await new Promise((resolve) => setTimeout(resolve, wait))
            found = await answer(client.GET('/api/library/clips/{clip_id}/refining', path))
          }
          return found
        },
        (found) => {
          if ('effects' in found) analysis.value = found
          measuring.value = false
        },
      )
    } catch (problem) {
      measuring.value = false
      throw problem
    }
  }
  return { refined, analysis, measuring, load, attempt, measure }
}
