import { computed, type ComputedRef } from 'vue'

import type { Clip } from '@/stores/library'
import { added, fresh, replaced, type Recipe, type Step } from './recipe'

/** The cutoff of the step that smooths a clip, and a way to say it from a graph. frame: of the take, in view. */
export function useCutoff(
  clip: ComputedRef<Clip | undefined>,
  recipe: ComputedRef<Recipe>,
  frame: ComputedRef<number>,
  keep: (wanted: Recipe) => Promise<void>,
) {
  const at = computed(() => recipe.value.steps.findIndex((step) => step.kind === 'smooth' && step.on))
  const cutoff = computed(() => {
    const step = recipe.value.steps[at.value]
    return step?.kind === 'smooth' ? (step.cutoff ?? null) : null
  })
  /** Changes with what comes to be smoothed. */
  const unsmoothed = computed(() => {
    const { steps } = recipe.value
    const before = at.value < 0 ? steps : steps.slice(0, at.value)
    return JSON.stringify([clip.value?.take_name, clip.value?.first, clip.value?.last, before])
  })
  /** Smooth at that many Hz; the step is added where there is none. */
  function cutOff(hertz: number) {
    const { steps } = recipe.value
    const step = { ...(steps[at.value] ?? fresh('smooth', frame.value)), cutoff: hertz } as Step
    void keep({ steps: at.value < 0 ? added(steps, step) : replaced(steps, at.value, step) })
  }
  return { cutoff, unsmoothed, cutOff }
}
