import type { Ref } from 'vue'

import { useShortcuts } from '@/shared/shortcuts/useShortcuts'

/** The keys of a fitting, whatever leaf is open; each leaf has its own beside them. */
export function useFittingKeys(view: {
  menu: Ref<unknown>
  mesh: Ref<boolean>
  bones: Ref<boolean>
  layout: Ref<'beside' | 'over'>
  frameAll: () => void
  undo: () => unknown
  redo: () => unknown
  back: () => unknown
}) {
  useShortcuts('Fitting', {
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
