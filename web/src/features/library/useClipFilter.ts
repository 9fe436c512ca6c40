import { computed, reactive, ref, type Ref } from 'vue'
import type { LocationQuery } from 'vue-router'

import { asked } from '@/shared/useAddress'
import { useLibrary, type Clip } from '@/stores/library'

const LENGTHS: Record<string, (seconds: number) => boolean> = {
  short: (seconds) => seconds < 3,
  middling: (seconds) => seconds >= 3 && seconds < 6,
  long: (seconds) => seconds >= 6,
}
const byWord = (a: string, b: string) => a.localeCompare(b, undefined, { numeric: true })
/** skeletons: their names. */
const ORDERS: Record<string, (a: Clip, b: Clip, skeletons: Map<number, string>) => number> = {
  name: (a, b) => byWord(a.name, b.name),
  newest: (a, b) => b.created.localeCompare(a.created) || b.id - a.id,
  longest: (a, b) => b.seconds - a.seconds,
  farthest: (a, b) => b.travel - a.travel,
  skeleton: (a, b, skeletons) =>
    byWord(skeletons.get(a.skeleton_id) ?? '', skeletons.get(b.skeleton_id) ?? '') || byWord(a.name, b.name),
}
const TRAVELS_FROM = 0.3

/** Which clips of the library are shown, and in which order. An empty choice asks for nothing. query: of an address. */
export function useClipFilter(retired: Ref<boolean>, query: LocationQuery = {}) {
  const library = useLibrary()
  const skeleton = ref(Number(query.skeleton) || null)
  const order = ref(Object.hasOwn(ORDERS, asked(query.order)) ? asked(query.order) : 'name')
  const reversed = ref(query.reverse === 'yes')
  const choices = reactive({
    text: asked(query.find),
    tag: asked(query.tag),
    length: Object.hasOwn(LENGTHS, asked(query.length)) ? asked(query.length) : '',
    travel: asked(query.travel),
    loop: asked(query.loop),
  })
  /** As it is kept in the address. */
  const inAddress = {
    skeleton: () => String(skeleton.value ?? ''),
    order: () => (order.value === 'name' ? '' : order.value),
    reverse: () => (reversed.value ? 'yes' : ''),
    find: () => choices.text ?? '',
    tag: () => choices.tag ?? '',
    length: () => choices.length ?? '',
    travel: () => choices.travel ?? '',
    loop: () => choices.loop ?? '',
    retired: () => (retired.value ? 'yes' : ''),
  }

  const skeletonNames = computed(() => new Map(library.skeletons.map(({ id, name }) => [id, name])))
  const present = computed(() => library.clips.filter((clip) => clip.retired === retired.value))
  const isFiltered = computed(() => skeleton.value !== null || Object.values(choices).some(Boolean))
  const shown = computed(() => {
    const words = (choices.text ?? '').toLowerCase().split(/\s+/).filter(Boolean)
    const { tag, length, travel, loop } = choices
    return present.value
      .filter((clip) => {
        const about =
          `${clip.name} ${clip.tags.join(' ')} ${skeletonNames.value.get(clip.skeleton_id) ?? ''}`.toLowerCase()
        return (
          (skeleton.value === null || clip.skeleton_id === skeleton.value) &&
          (!tag || clip.tags.includes(tag)) &&
          (!length || LENGTHS[length](clip.seconds)) &&
          (!travel || (travel === 'travels') === clip.travel >= TRAVELS_FROM) &&
          (!loop || (loop === 'loops') === clip.loop) &&
          words.every((word) => about.includes(word))
        )
      })
      .sort((a, b) => ORDERS[order.value](a, b, skeletonNames.value) * (reversed.value ? -1 : 1))
  })
  function clear() {
    Object.assign(choices, { text: '', tag: '', length: '', travel: '', loop: '' })
    skeleton.value = null
  }
  return { skeleton, order, reversed, choices, present, shown, isFiltered, clear, inAddress }
}
