import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useNewest } from '@/shared/useNewest'

export type EnsembleSummary = Schemas['EnsembleSummary']

/** Clips of several performers that share one space. */
export const useEnsembles = defineStore('ensembles', () => {
  const rows = shallowRef<EnsembleSummary[]>([])
  const loaded = ref(false)
  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/ensembles/')),
      (found) => {
        rows.value = found
        loaded.value = true
      },
    )
  /** Put clips that were recorded in one space together; returns the ensemble. */
  async function make(clips: number[]) {
    const made = await answer(client.POST('/api/ensembles/', { body: { clips, name: '' } }))
    await load()
    return made
  }
  /** With its castings and their results; its clips stay. */
  async function remove(id: number) {
    await answer(client.DELETE('/api/ensembles/{ensemble_id}', { params: { path: { ensemble_id: id } } }))
    await load()
  }
  return { rows, loaded, load, make, remove }
})
