import type { Router } from 'vue-router'

import { useLibrary } from '@/stores/library'
import { useSplices } from '@/stores/splices'

/** Splice clips in their order, and open what has become of them. */
export async function spliceClips(router: Router, clips: number[]) {
  const made = await useSplices().make(clips)
  await useLibrary().load()
  await router.push(`/splices/${made.id}`)
}
