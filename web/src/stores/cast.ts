import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { newer, onVersion } from '@/api/concurrency'
import { useNewest } from '@/shared/useNewest'

export type Character = Schemas['CharacterOut']
export type Bones = Schemas['SkeletonTree']

export const useCast = defineStore('cast', () => {
  const characters = shallowRef<Character[]>([])
  const loaded = ref(false)
  const bones = new Map<number, Promise<Bones>>()

  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/cast/')),
      (rows) => {
        characters.value = rows.map((row) => newer(character(row.id), row))
        loaded.value = true
      },
    )
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
  const put = (row: Character) =>
    (characters.value = characters.value.map((other) => (other.id === row.id ? newer(other, row) : other)))
  /** base: the version that the change was begun on, where that is not the one at hand. */
  async function change(id: number, wanted: Schemas['CharacterChange'], base?: number) {
    const path = { params: { path: { character_id: id } } }
    const headers = onVersion(base ?? character(id))
    put(await answer(client.PATCH('/api/cast/{character_id}', { ...path, headers, body: wanted })))
  }
  /** One character as it is now. */
  async function look(id: number) {
    put(await answer(client.GET('/api/cast/{character_id}', { params: { path: { character_id: id } } })))
  }
  const character = (id: number) => characters.value.find((row) => row.id === id)
  return { characters, present, change, look, loaded, load, skeleton, plate, character }
})
