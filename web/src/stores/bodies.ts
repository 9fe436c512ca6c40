import { computed } from 'vue'

import { useCast, type Character } from './cast'
import { useLibrary, type Clip } from './library'

const plans = computed(() => new Map(useLibrary().skeletons.map((body) => [body.id, body.plan])))

/** Whether a clip's skeleton and a character have the same body plan, so that a fitting by it can be expected to do. */
export function sameBody(clip: Clip, character: Character): boolean {
  const plan = plans.value.get(clip.skeleton_id)
  return !!plan && plan === character.plan
}

/** The characters of the cast, those of the clip's own body plan first. */
export function likeliest(clip: Clip): { character: Character; same: boolean }[] {
  const rows = useCast().present.map((character) => ({ character, same: sameBody(clip, character) }))
  return [...rows.filter((row) => row.same), ...rows.filter((row) => !row.same)]
}
