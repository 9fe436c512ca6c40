import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { computed } from 'vue'

import { useLibrary, type Clip } from '@/stores/library'
import { fresh, type Recipe } from './recipe'
import { useClipEdits } from './useClipEdits'

const recipe = (...kinds: ('mirror' | 'pace' | 'hold')[]): Recipe => ({ steps: kinds.map((kind) => fresh(kind, 0)) })

/** A library of one clip whose server answers when it is told to. */
function studio() {
  const library = useLibrary()
  library.clips = [{ id: 7, first: 0, last: 9, lock_version: 3, recipe: recipe() } as unknown as Clip]
  const waiting: (() => void)[] = []
  const asked: [unknown, number | undefined][] = []
  vi.spyOn(library, 'change').mockImplementation(async (id, wanted, base) => {
    asked.push([wanted.recipe?.steps.map((step) => step.kind).join(), base])
    await new Promise<void>((go) => waiting.push(go))
    const now = library.clip(id)!
    library.put([{ ...now, ...wanted, lock_version: now.lock_version + 1 } as Clip])
  })
  const edits = useClipEdits(
    7,
    computed(() => library.clip(7)),
  )
  const answer = async () => {
    await vi.waitFor(() => expect(waiting.length).toBeGreaterThan(0))
    waiting.shift()!()
  }
  return { library, edits, asked, answer }
}

beforeEach(() => {
  setActivePinia(createPinia())
  sessionStorage.clear()
})

describe('edits of a clip', () => {
  it('that follow each other quickly are each made on the one before, and shown at once', async () => {
    const { library, edits, asked, answer } = studio()
    const first = edits.refine(recipe('mirror'))
    const second = edits.refine(recipe('mirror', 'pace'))
    expect(edits.draft.value?.steps.length).toBe(2)
    await answer()
    await first
    await answer()
    await second
    expect(asked).toEqual([
      ['mirror', 3],
      ['mirror,pace', 4],
    ])
    expect(edits.draft.value).toBeNull()
    expect(library.clip(7)!.recipe.steps.length).toBe(2)
  })
  it('are taken back one by one', async () => {
    const { library, edits, answer } = studio()
    const made = edits.refine(recipe('mirror'))
    await answer()
    await made
    const undone = edits.undo()
    await answer()
    await undone
    expect(library.clip(7)!.recipe.steps).toEqual([])
    expect(edits.redoable.value).toBe(true)
  })
})
