import type { Router } from 'vue-router'

import { answer, client } from '@/api/client'

/** Open the fitting of a clip's skeleton on a character, with the clip playing; it is made if there is none. */
export async function openFitting(router: Router, clip_id: number, character_id: number) {
  const fitting = await answer(client.POST('/api/fittings/', { body: { clip_id, character_id } }))
  await router.push({ name: 'fitting', params: { id: fitting.id }, query: { clip: clip_id }, state: { play: true } })
}
