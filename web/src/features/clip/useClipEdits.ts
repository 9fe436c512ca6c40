import { computed, ref, shallowRef, watch, type ComputedRef } from 'vue'

import { useHistory } from '@/shared/useHistory'
import { useLibrary, type Clip, type ClipChange } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import type { Recipe } from './recipe'

/** What is taken back: a range that was kept, or a recipe. */
type Edit = Pick<ClipChange, 'first' | 'last' | 'recipe'>
export type Range = [first: number, last: number]

/** The range and the recipe of a clip, changed, taken back and made again in one order. */
export function useClipEdits(id: number, clip: ComputedRef<Clip | undefined>) {
  const library = useLibrary()
  const messages = useMessages()
  const range = ref<Range>([clip.value?.first ?? 0, clip.value?.last ?? 0])
  const kept = computed<Range>(() => [clip.value?.first ?? 0, clip.value?.last ?? 0])
  const trimmed = computed(() => !!clip.value && `${range.value}` !== `${kept.value}`)
  /** The version that the range was first drawn on: what others keep of the clip meanwhile is not written over. */
  const drawnOn = ref<number>()
  watch(trimmed, (now) => (drawnOn.value = now ? clip.value?.lock_version : undefined))
  watch(kept, (now, before) => {
    if (`${range.value}` === `${before}`) range.value = now
  })

  /** Keep an edit; returns what undoes it. */
  async function keep(edit: Edit, base?: number): Promise<Edit> {
    const { first, last, recipe } = clip.value!
    await library.change(id, edit, base)
    if (edit.recipe) return { recipe }
    range.value = [edit.first!, edit.last!]
    return { first, last }
  }
  const history = useHistory<Edit>((edit) => keep(edit), `armuto.clip.${id}`)
  const make = (edit: Edit, base: () => number | undefined) =>
    messages.attempt(
      (again) => history.inOrder(async () => history.remember(await keep(edit, again ? undefined : base()))),
      () => library.look(id),
    )
  const trim = () => {
    const [first, last] = range.value
    return trimmed.value && make({ first, last }, () => drawnOn.value)
  }
  /** Recipes that are on their way, of which the newest is shown: each is made on the one before. */
  const draft = shallowRef<Recipe | null>(null)
  let underWay = 0
  async function refine(recipe: Recipe) {
    const seen = underWay++ ? undefined : clip.value?.lock_version
    draft.value = recipe
    const made = await make({ recipe }, () => seen ?? clip.value?.lock_version)
    if (!--underWay) draft.value = null
    return made
  }
  const undo = () => history.undo().catch(messages.fail)
  const redo = () => history.redo().catch(messages.fail)
  const { undoable, redoable, forget } = history
  return { range, trimmed, trim, draft, refine, undo, redo, undoable, redoable, forget }
}
