import { defineStore } from 'pinia'
import { ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'

export type Rendition = Schemas['RenditionOut']

export const useRenditions = defineStore('renditions', () => {
  const rows = ref<Rendition[]>([])
  const loaded = ref(false)

  async function load() {
    rows.value = await answer(client.GET('/api/renditions/'))
    loaded.value = true
  }
  function keep(row: Rendition) {
    const at = rows.value.findIndex((other) => other.id === row.id)
    if (at < 0) rows.value.push(row)
    else rows.value[at] = row
  }
  const of = (clip: number, character: number) =>
    rows.value.find((row) => row.clip_id === clip && row.character_id === character)
  const busy = (row?: Rendition) => row?.state === 'waiting' || row?.state === 'working'

  async function make(clip_id: number, character_id: number) {
    keep(await answer(client.POST('/api/renditions/', { body: { clip_id, character_id } })))
  }
  async function look(id: number) {
    keep(await answer(client.GET('/api/renditions/{rendition_id}', { params: { path: { rendition_id: id } } })))
  }
  async function stop(id: number) {
    keep(await answer(client.POST('/api/renditions/{rendition_id}/stop', { params: { path: { rendition_id: id } } })))
  }
  return { rows, loaded, load, of, busy, make, look, stop }
})

/** A rendition's state in words, with a mark that tells it by shape. */
export function stateOf(row?: Rendition): { mark: string; word: string; kind: string } {
  if (!row) return { mark: '·', word: 'not yet', kind: 'none' }
  if (row.out_of_date) return { mark: '↻', word: 'out of date', kind: 'old' }
  const words: Record<string, { mark: string; word: string; kind: string }> = {
    waiting: { mark: '…', word: 'waiting', kind: 'busy' },
    working: { mark: '…', word: 'working', kind: 'busy' },
    good: { mark: '✓', word: 'good', kind: 'good' },
    look: { mark: '◉', word: 'look', kind: 'look' },
    wrong: { mark: '✕', word: 'wrong', kind: 'wrong' },
    stopped: { mark: '–', word: 'stopped', kind: 'none' },
  }
  return words[row.state] ?? { mark: '·', word: row.state, kind: 'none' }
}
