import { onScopeDispose, type Ref, type ShallowRef } from 'vue'

import { decodeFloats, decodePose } from '@/api/motion'
import type { Stage } from '@/stage/stage'
import { useMessages } from '@/stores/messages'
import type { useClipMotion } from './useClipMotion'
import type { useSettling } from './useSettling'
import type { Stances } from './useStances'
import type { Fitting } from './weave'

const PAUSE = 350

/**
 * What a change of the fitting looks like: first the figure, in the frame that is shown; after a pause in which nothing
 * else is changed the rest of the clip, and what is said of it.
 */
export function useLiveChange(around: {
  stage: ShallowRef<Stage | undefined>
  fitting: Ref<Fitting | null>
  playing: Ref<boolean>
  stances: Stances
  settling: ReturnType<typeof useSettling>
  motion: () => ReturnType<typeof useClipMotion>
  inStances: () => boolean
  light: () => void
  /** Ask again what else depends on the fitting. */
  follow: () => Promise<unknown>
}) {
  const { stage, fitting, playing, stances, settling, light } = around
  let waiting: ReturnType<typeof setTimeout> | undefined

  function showAtOnce() {
    const figure = stage.value?.figure('character')
    const { pose, standing, revision } = fitting.value ?? {}
    if (!figure || !pose) return
    const { rotations, translations } = decodePose(pose, figure.joints.length)
    if (!playing.value) figure.take(rotations, translations)
    stances.settle()
    settling.settle()
    if (around.inStances() && standing) stances.take(decodeFloats(standing))
    light()
    stage.value?.draw()
    if (window.armuto) window.armuto.shown = revision
  }
  function show() {
    showAtOnce()
    clearTimeout(waiting)
    around.motion().stop()
    waiting = setTimeout(() => {
      void Promise.all([around.motion().loadTarget(), around.follow()]).then(light).catch(useMessages().fail)
    }, PAUSE)
  }
  onScopeDispose(() => {
    around.motion().stop()
    clearTimeout(waiting)
  })
  return { show }
}
