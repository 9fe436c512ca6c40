import { onBeforeUnmount, ref, shallowRef, type Ref } from 'vue'

import type { Stage } from '@/stage/stage'
import type { Bones, Character } from '@/stores/cast'
import { loadFigure, type StageModule } from './figures'

/** The stage of a fitting, with the character on it; what else stands there is put there by others. */
export function useFittingStage(around: {
  canvas: Ref<HTMLCanvasElement | undefined>
  character: Ref<Character | undefined>
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
}) {
  const { canvas, character, trees } = around
  const stage = shallowRef<Stage>()
  const loading = ref('')
  let module: StageModule | undefined

  /** Returns whether the character is on the stage now. */
  async function open() {
    module ??= await import('@/stage')
    if (!canvas.value || !character.value || !trees.source.value) return false
    const now = (stage.value = module.openStage(canvas.value))
    loading.value = `Fetching ${character.value.name} …`
    const figure = await loadFigure(module, now.palette, character.value)
    if (stage.value !== now) {
      figure.dispose()
      return false
    }
    now.add('character', figure)
    loading.value = ''
    return true
  }
  function close() {
    stage.value?.dispose()
    stage.value = undefined
  }
  onBeforeUnmount(close)
  return { stage, loading, open, close, module: () => module }
}
