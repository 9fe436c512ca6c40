import { computed, type Ref } from 'vue'

import type { Character } from '@/stores/cast'
import type { Clip } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRenditions } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'

/** The rendition of the clip in view on the character: looked up, made, and stopped while it is made. */
export function useRendition(clip: Ref<Clip | undefined>, character: Ref<Character | undefined>) {
  const renditions = useRenditions()
  const messages = useMessages()
  const rendition = computed(() =>
    clip.value && character.value ? renditions.of(clip.value.id, character.value.id) : undefined,
  )
  const lookUp = async () => clip.value && character.value && renditions.look(clip.value.id, character.value.id)
  async function transfer() {
    if (!clip.value || !character.value) return
    await renditions.make(clip.value.id, character.value.id).catch(messages.fail)
    await useRuns().refresh()
    await lookUp().catch(messages.fail)
  }
  const stop = () => rendition.value && renditions.stop(rendition.value.id).catch(messages.fail)
  return { rendition, lookUp, transfer, stop }
}
