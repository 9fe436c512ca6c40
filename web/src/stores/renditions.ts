import { defineStore } from 'pinia'
import { ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'

export type Rendition = Schemas['RenditionOut']
export type Revision = Schemas['RevisionOut']
export type Before = Schemas['Before']

const busyStates = ['waiting', 'running']
/** Whether a run is at it. */
export const busy = (row?: Rendition | null) => !!row && busyStates.includes(row.state)

/** Renditions that somebody looks at, by cell. The board knows the states of all of them. */
export const useRenditions = defineStore('renditions', () => {
  const cells = ref<Record<string, Rendition>>({})
  const key = (clip: number, character: number) => `${clip}.${character}`

  const keep = (row: Rendition) => (cells.value[key(row.clip_id ?? 0, row.character_id ?? 0)] = row)
  const of = (clip: number, character: number): Rendition | undefined => cells.value[key(clip, character)]

  async function look(clip: number, character: number) {
    const row = await answer(
      client.GET('/api/renditions/cell', { params: { query: { clip_id: clip, character_id: character } } }),
    )
    if (row) keep(row)
    else delete cells.value[key(clip, character)]
    return row
  }
  /** Those at work, asked for again. */
  const follow = () =>
    Promise.all(
      Object.values(cells.value)
        .filter(busy)
        .map((row) => look(row.clip_id ?? 0, row.character_id ?? 0)),
    )
  const anyBusy = () => Object.values(cells.value).some(busy)

  async function make(clip_id: number, character_id: number) {
    return keep(await answer(client.POST('/api/renditions/', { body: { clip_id, character_id } })))
  }
  async function stop(id: number) {
    keep(await answer(client.POST('/api/renditions/{rendition_id}/stop', { params: { path: { rendition_id: id } } })))
  }
  return { cells, of, look, follow, anyBusy, make, stop }
})
