import { defineStore } from 'pinia'
import { shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useNewest } from '@/shared/useNewest'

export type KeptRecipe = Schemas['KeptRecipeOut']

/** Recipes that were kept under a name. */
export const useRecipes = defineStore('recipes', () => {
  const rows = shallowRef<KeptRecipe[]>([])
  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/library/recipes')),
      (found) => void (rows.value = found),
    )
  async function keep(name: string, recipe: Schemas['Recipe'], replace = false) {
    await answer(client.POST('/api/library/recipes', { body: { name, recipe, replace } }))
    await load()
  }
  async function bringIn(file: File) {
    const data = new FormData()
    data.append('file', file)
    const asked = client.POST('/api/library/recipes/file', {
      body: data as never,
      bodySerializer: (form) => form as never,
    })
    const made = await answer(asked)
    await load()
    return made
  }
  async function remove(id: number) {
    await answer(client.DELETE('/api/library/recipes/{recipe_id}', { params: { path: { recipe_id: id } } }))
    await load()
  }
  return { rows, load, keep, bringIn, remove }
})
