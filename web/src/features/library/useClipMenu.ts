import { useRouter } from 'vue-router'

import { openFitting } from '@/features/fitting/open'
import { copyLink } from '@/shared/clipboard'
import { useContextMenu } from '@/shared/frame/useContextMenu'
import { likeliest } from '@/stores/bodies'
import type { Clip } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useClipPath } from './clipFacts'

const MOST_FIGURES = 8

/** What can be done with a clip where the pointer is at it. */
export function useClipMenu(selected: (clip: Clip) => boolean, pick: (clip: Clip) => void) {
  const router = useRouter()
  const messages = useMessages()
  const { open } = useContextMenu()
  return (event: MouseEvent, clip: Clip) => {
    const { path } = useClipPath(() => clip.id)
    open(event, clip.name, () => [
      { label: 'Open', act: () => router.push(path.value) },
      { label: selected(clip) ? 'Select it no longer' : 'Select', act: () => pick(clip) },
      ...likeliest(clip)
        .slice(0, MOST_FIGURES)
        .map(({ character }) => ({
          label: `See it on ${character.name}`,
          act: () => openFitting(router, clip.id, character.id).catch(messages.fail),
        })),
      { label: 'Copy its link', act: () => copyLink(path.value) },
    ])
  }
}
