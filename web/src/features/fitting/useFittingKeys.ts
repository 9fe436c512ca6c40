import type { Ref } from 'vue'

import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { LEAVES, type Leaf } from './leaves'

/** The keys of a fitting, whatever leaf is open; each leaf has its own beside them. */
export function useFittingKeys(view: {
  menu: Ref<unknown>
  mesh: Ref<boolean>
  bones: Ref<boolean>
  layout: Ref<'beside' | 'over'>
  leaf: Ref<Leaf>
  frameAll: () => void
  undo: () => unknown
  redo: () => unknown
  back: () => unknown
}) {
  const turn = (by: number) => {
    const names = Object.keys(LEAVES) as Leaf[]
    view.leaf.value = names[names.indexOf(view.leaf.value) + by] ?? view.leaf.value
  }
  useShortcuts('Fitting', {
    leafBefore: () => turn(-1),
    leafAfter: () => turn(1),
    mesh: () => void (view.mesh.value = !view.mesh.value),
    bones: () => void (view.bones.value = !view.bones.value),
    layout: () => void (view.layout.value = view.layout.value === 'beside' ? 'over' : 'beside'),
    frameAll: view.frameAll,
    closeMenu: () => {
      if (!view.menu.value) return false
      view.menu.value = null
    },
    review: view.back as () => boolean | void,
    undo: () => void view.undo(),
    redo: () => void view.redo(),
  })
}
