import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import { useNewest } from '@/shared/useNewest'

export type Source = Schemas['SourceOut']
export type SourceItem = Schemas['ItemOut']

/** Folders and addresses that are watched for motion and characters. */
export const useSources = defineStore('sources', () => {
  const rows = shallowRef<Source[]>([])
  const loaded = ref(false)
  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/sources/')),
      (found) => {
        rows.value = found
        loaded.value = true
      },
    )
  const at = (id: number) => ({ params: { path: { source_id: id } } })
  async function add(wanted: Schemas['SourceIn']) {
    const made = await answer(client.POST('/api/sources/', { body: wanted }))
    await load()
    return made
  }
  async function change(source: Source, wanted: Schemas['SourceChange'], again: boolean) {
    const headers = again ? {} : onVersion(source)
    await answer(client.PATCH('/api/sources/{source_id}', { ...at(source.id), headers, body: wanted }))
    await load()
  }
  async function remove(id: number) {
    await answer(client.DELETE('/api/sources/{source_id}', at(id)))
    await load()
  }
  async function look(id: number) {
    await answer(client.POST('/api/sources/{source_id}/look', at(id)))
    await load()
  }
  const items = (id: number) => answer(client.GET('/api/sources/{source_id}/items', at(id)))
  const fetchItems = (id: number, ids: number[]) =>
    answer(client.POST('/api/sources/{source_id}/fetch', { ...at(id), body: { ids } }))
  return { rows, loaded, load, add, change, remove, look, items, fetchItems }
})
