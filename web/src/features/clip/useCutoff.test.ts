import { describe, expect, it } from 'vitest'
import { computed, shallowRef } from 'vue'

import { useCutoff } from './useCutoff'
import type { Recipe } from './recipe'

describe('the cutoff from a graph', () => {
  it('is of one step, however soon it is chosen again', () => {
    const recipe = shallowRef<Recipe>({ steps: [] })
    const { cutoff, cutOff } = useCutoff(
      computed(() => undefined),
      computed(() => recipe.value),
      computed(() => 0),
      async (wanted) => void (recipe.value = wanted), // as the page shows it until the studio has answered
    )
    cutOff(6.8)
    expect(cutoff.value).toBe(6.8)
    cutOff(7.3)
    expect(recipe.value.steps.length).toBe(1)
    expect(cutoff.value).toBe(7.3)
  })
})
