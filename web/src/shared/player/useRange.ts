import { computed, ref, watch, type Ref } from 'vue'

import { asked, useAddress } from '@/shared/useAddress'

/**
 * A stretch of the clip that is played over and over. chosen: its first and last frame, null for all of it; it is in
 * the address of the view. clip: what it belongs to.
 */
export function useRange(frames: Ref<number>, clip: () => unknown, query: Record<string, unknown>) {
  const [, first, last] = (/^(\d+)-(\d+)$/.exec(asked(query.range)) ?? []).map(Number)
  const chosen = ref<[number, number] | null>(last > first ? [first, last] : null)
  const end = () => frames.value - 1
  const played = computed<[number, number]>(() => {
    const [from, to] = chosen.value ?? [0, end()]
    return from < Math.min(to, end()) ? [from, Math.min(to, end())] : [0, end()]
  })
  function set(from: number, to: number) {
    chosen.value = from <= 0 && to >= end() ? null : [Math.max(0, from), Math.min(to, end())]
  }
  /** Begin at a frame; a range that ends before it goes as far as the clip does. */
  const begin = (at: number) => at < end() && set(at, played.value[1] > at ? played.value[1] : end())
  const finish = (at: number) => at > 0 && set(played.value[0] < at ? played.value[0] : 0, at)
  const clear = () => (chosen.value = null)

  watch(clip, clear)
  useAddress({ range: () => (frames.value > 1 ? (chosen.value?.join('-') ?? '') : undefined) })
  return { chosen, played, set, begin, finish, clear }
}
export type PlayedRange = ReturnType<typeof useRange>
