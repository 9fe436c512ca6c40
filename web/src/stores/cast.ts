import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'

export type Character = Schemas['CharacterOut']
export type Bones = Schemas['SkeletonTree']

export const useCast = defineStore('cast', () => {
  const characters = shallowRef<Character[]>([])
  const loaded = ref(false)
  const bones = new Map<number, Promise<Bones>>()

  async function load() {
    characters.value = await answer(client.GET('/api/cast/'))
    loaded.value = true
  }
  /** Bones of a skeleton; skeletons never change, so each is fetched once. */
  function skeleton(id: number): Promise<Bones> {
    let found = bones.get(id)
    if (!found) {
      found = answer(client.GET('/api/library/skeletons/{skeleton_id}', { params: { path: { skeleton_id: id } } }))
      found.catch(() => bones.delete(id))
      bones.set(id, found)
    }
    return found
  }
  const plates = new Map<string, Promise<Schemas['PlateOut']>>()
  /** A character as it rests, inked; fetched once per revision. */
  function plate(character: Character) {
    const key = `${character.id}.${character.revision}`
    let found = plates.get(key)
    if (!found) {
      found = answer(client.GET('/api/cast/{character_id}/plate', { params: { path: { character_id: character.id } } }))
      found.catch(() => plates.delete(key))
      plates.set(key, found)
    }
    return found
  }
  /** Characters that have not been retired. */
  const present = computed(() => characters.value.filter((character) => !character.retired))
  async function change(id: number, wanted: Schemas['CharacterChange']) {
    const row = await answer(
      client.PATCH('/api/cast/{character_id}', { params: { path: { character_id: id } }, body: wanted }),
    )
    characters.value = characters.value.map((character) => (character.id === id ? row : character))
  }
  const character = (id: number) => characters.value.find((row) => row.id === id)
  return { characters, present, change, loaded, load, skeleton, plate, character }
})
