import type { Ref } from 'vue'
import { useRouter } from 'vue-router'

import { filesOf, hasFiles } from '@/shared/frame/dropped'
import { useArrivals } from '@/stores/arrivals'
import { useMessages } from '@/stores/messages'
import { openFitting } from './open'

/** Files that are dropped on a fitting: motion is performed by its character, figures are looked at in the cast. */
export function useDropOnFitting(character: Ref<{ id: number } | undefined>) {
  const router = useRouter()
  return async (event: DragEvent) => {
    const performer = character.value
    if (!hasFiles(event) || !performer) return
    event.preventDefault()
    const found = await useArrivals().bringIn(await filesOf(event.dataTransfer))
    if (found.clips.length) await openFitting(router, found.clips[0], performer.id).catch(useMessages().fail)
    else if (found.characters.length) await router.push(`/cast?character=${found.characters[0]}`)
  }
}
