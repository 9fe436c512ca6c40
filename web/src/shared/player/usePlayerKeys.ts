import type { Ref } from 'vue'

import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import type { usePlayer } from './player'

/** The keys of a player; range: where its first and last frame are, if not at the ends of the clip. */
export function usePlayerKeys(
  player: ReturnType<typeof usePlayer>,
  frames: Ref<number>,
  range?: Readonly<Ref<[number, number]>>,
) {
  useShortcuts('Playing', {
    play: () => ((player.playing.value = !player.playing.value), true),
    back: () => player.step(-1),
    on: () => player.step(1),
    first: () => player.go(range?.value[0] ?? 0),
    last: () => player.go(range?.value[1] ?? frames.value - 1),
  })
}
