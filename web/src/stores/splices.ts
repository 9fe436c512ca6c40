import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useNewest } from '@/shared/useNewest'

export type SpliceSummary = Schemas['SpliceSummary']

/** Which clips are spliced of which others. */
export const useSplices = defineStore('splices', () => {
  const rows = shallowRef<SpliceSummary[]>([])
  const loaded = ref(false)
  const newest = useNewest()
  const load = () =>
    newest(
      () => answer(client.GET('/api/splices/')),
      (found) => {
        rows.value = found
        loaded.value = true
      },
    )
  const byClip = computed(() => new Map(rows.value.map((row) => [row.clip_id, row])))
  /** The splice that a clip is, if it is one. */
  const ofClip = (clip: number) => byClip.value.get(clip)
  /** Splice clips in their order; returns the splice. */
  async function make(clips: number[]) {
    const made = await answer(client.POST('/api/splices/', { body: { clips, name: '' } }))
    await load()
    return made
  }
  return { rows, loaded, load, ofClip, make }
})
