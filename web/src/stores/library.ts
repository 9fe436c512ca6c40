import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { newer, onVersion } from '@/api/concurrency'
import { useNewest } from '@/shared/useNewest'
import type { Change } from './changes'

export type Clip = Schemas['ClipOut']
export type ClipChange = Schemas['ClipChange']
export type LibrarySkeleton = Schemas['SkeletonOut']
export type Plate = Schemas['PlateOut']

export const useLibrary = defineStore('library', () => {
  // Rows are replaced, never changed: watching every field of thousands of them would cost more than showing them.
  const clips = shallowRef<Clip[]>([])
  const skeletons = shallowRef<LibrarySkeleton[]>([])
  const loaded = ref(false)
  const plates = new Map<string, Promise<Plate>>()
  const atHand = new Map<string, Plate>()

  const newest = useNewest()
  const load = () =>
    newest(
      () => Promise.all([answer(client.GET('/api/library/clips')), answer(client.GET('/api/library/skeletons'))]),
      ([rows, bodies]) => {
        clips.value = rows.map((row) => newer(clip(row.id), row))
        skeletons.value = bodies
        loaded.value = true
      },
    )
  /** The plate of a clip, fetched once per revision. */
  function plate(clip: Clip): Promise<Plate> {
    const key = `${clip.id}.${clip.revision}`
    let found = plates.get(key)
    if (!found) {
      found = answer(client.GET('/api/library/clips/{clip_id}/plate', { params: { path: { clip_id: clip.id } } }))
      found.catch(() => plates.delete(key))
      void found.then((plate) => atHand.set(key, plate)).catch(() => undefined)
      plates.set(key, found)
    }
    return found
  }
  /** The plate of a clip if it has been fetched already. */
  const plateAtHand = (clip: Clip) => atHand.get(`${clip.id}.${clip.revision}`) ?? null
  function put(rows: Clip[]) {
    const by = new Map(rows.map((row) => [row.id, row]))
    clips.value = clips.value.map((row) => newer(row, by.get(row.id) ?? row))
  }
  /** base: the version that the change was begun on, where that is not the one at hand. */
  async function change(id: number, wanted: ClipChange, base?: number) {
    const path = { params: { path: { clip_id: id } } }
    const headers = onVersion(base ?? clip(id))
    put([await answer(client.PATCH('/api/library/clips/{clip_id}', { ...path, headers, body: wanted }))])
  }
  /** One clip as it is now. */
  async function look(id: number) {
    put([await answer(client.GET('/api/library/clips/{clip_id}', { params: { path: { clip_id: id } } }))])
  }
  /** Take up what others have changed: one clip by itself where that is all. */
  async function follow(changes: Change[]) {
    const ids = changes.map((change) => Number(/^\/api\/library\/clips\/(\d+)$/.exec(change.path)?.[1] ?? 0))
    if (ids.every((id) => clip(id))) await Promise.all([...new Set(ids)].map(look))
    else await load()
  }
  async function changeMany(ids: number[], wanted: Partial<Omit<Schemas['ManyChange'], 'ids'>>) {
    put(await answer(client.POST('/api/library/changes', { body: { ids, tag: [], untag: [], ...wanted } })))
  }
  /** Clips that have not been retired. */
  const present = computed(() => clips.value.filter((clip) => !clip.retired))
  const byId = computed(() => new Map(clips.value.map((row) => [row.id, row])))
  const clip = (id: number) => byId.value.get(id)
  return {
    clips,
    present,
    skeletons,
    loaded,
    load,
    plate,
    plateAtHand,
    put,
    change,
    look,
    follow,
    changeMany,
    clip,
  }
})
