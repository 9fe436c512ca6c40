import type { Ref } from 'vue'
import { useRouter } from 'vue-router'

import { useArrivals } from '@/stores/arrivals'
import { useMessages } from '@/stores/messages'
import { openFitting } from './open'

/** Files that are dropped on a fitting: motion is performed by its character, figures are looked at in the cast. */
export function useDropOnFitting(character: Ref<{ id: number } | undefined>) {
  const router = useRouter()
  return async (event: DragEvent) => {
    const files = [...(event.dataTransfer?.files ?? [])]
    if (!files.length || !character.value) return
    event.preventDefault()
    const found = await useArrivals().bringIn(files)
    if (found.clips.length) await openFitting(router, found.clips[0], character.value.id).catch(useMessages().fail)
    else if (found.characters.length) await router.push(`/cast?character=${found.characters[0]}`)
  }
}
