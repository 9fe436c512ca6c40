import { computed } from 'vue'

import { lengthText } from '@/shared/units'
import type { Clip } from '@/stores/library'
import { useSplices } from '@/stores/splices'

/** Of a clip in the list, in pixels. */
export const LIST_ROW = 40

/** How far a clip goes over the ground, in words. */
export const travel = (clip: Pick<Clip, 'travel'>) => (clip.travel < 0.05 ? 'stays' : lengthText(clip.travel, 0))

/** Where a clip is opened; a splice is opened as one. */
export function useClipPath(clip: () => number) {
  const splice = computed(() => useSplices().ofClip(clip()))
  const path = computed(() => (splice.value ? `/splices/${splice.value.id}` : `/library/clips/${clip()}`))
  return { splice, path }
}
