import { watch, type Ref } from 'vue'

import type { Stage } from '@/stage/stage'

/**
 * Where somebody has turned the camera of a stage to, kept with the entry in the browser's history: a reload, Back, or
 * a stage that is made anew for another theme look from there again.
 */
export function useKeptCamera(stage: Ref<Stage | undefined>) {
  const put = (camera: number[] | null) => history.replaceState({ ...history.state, camera }, '')
  watch(stage, (now, _, onCleanup) => {
    if (!now) return
    const keep = () => put([...now.camera.position.toArray(), ...now.controls.target.toArray()])
    // From the moment in which somebody takes hold of it: nothing that comes meanwhile looks from elsewhere.
    now.controls.addEventListener('start', keep)
    now.controls.addEventListener('end', keep)
    onCleanup(() => {
      now.controls.removeEventListener('start', keep)
      now.controls.removeEventListener('end', keep)
    })
  })
  function restore() {
    const kept = history.state?.camera as number[] | null | undefined
    if (!stage.value || kept?.length !== 6 || !kept.every(Number.isFinite)) return
    stage.value.camera.position.fromArray(kept)
    stage.value.controls.target.fromArray(kept, 3)
    stage.value.controls.update()
    stage.value.invalidate()
  }
  /** Once it looks from elsewhere by itself, as at all of the figures or at another clip. */
  const forget = () => history.state?.camera && put(null)
  /** Whether somebody has turned it since it last looked from elsewhere by itself. */
  const isTurned = () => !!history.state?.camera
  return { restore, forget, isTurned }
}
