import { useLocalStorage } from '@vueuse/core'
import { computed, ref, type Ref } from 'vue'
import { useRoute } from 'vue-router'

import { useAddress } from '@/shared/useAddress'
import { isLeaf, type Leaf } from './leaves'

/** What of a fitting is shown and how: leaf and frame are in the address, the rest is kept for whoever set it up. */
export function useViewOptions(player: { frame: Ref<number>; playing: Ref<boolean> }, frames: Ref<number>) {
  const { query } = useRoute()
  const leaf = ref<Leaf>(isLeaf(query.leaf) ? query.leaf : 'pair')
  /** The frame of the clip that the address leads to. */
  const asked = query.frame === undefined ? null : Number(query.frame) || 0
  const layouts = useLocalStorage<Partial<Record<Leaf, 'beside' | 'over'>>>('armuto.layouts', { stance: 'over' })
  const layout = computed({
    get: () => layouts.value[leaf.value] ?? 'beside',
    set: (now) => (layouts.value[leaf.value] = now),
  })
  const mesh = useLocalStorage('armuto.mesh', true)
  const bones = useLocalStorage('armuto.bones', true)
  const isLoaded = () => frames.value > 1
  useAddress({
    leaf: () => (leaf.value === 'pair' ? '' : leaf.value),
    frame: () => (player.playing.value || !isLoaded() ? undefined : String(player.frame.value)),
  })
  return { leaf, asked, layout, mesh, bones }
}
