import type { Ref, ShallowRef } from 'vue'

import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { useKeptCamera } from '@/shared/player/useKeptCamera'
import type { Stage } from '@/stage/stage'
import type { Bones, Character } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { besideStances, closeUp, inPlace, setUp, type Pose } from './standing'
import type { Stances } from './useStances'
import type { Fitting, Group } from './weave'

/** Where the bodies of a fitting stand on the stage, and from where they are looked at. */
export function useArrangement(around: {
  stage: ShallowRef<Stage | undefined>
  fitting: Ref<Fitting | null>
  character: Ref<Character | undefined>
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
  rows: Ref<RibbonRow[]>
  stances: Stances
  beside: () => boolean
  /** Whether the leaf of stances is open. */
  inStances: () => boolean
  /** Called once everybody stands elsewhere. */
  placed: () => void
}) {
  const { stage, fitting, character, trees, rows, stances } = around
  const library = useLibrary()

  function pose(): Pose | null {
    const [now, source, target] = [stage.value, trees.source.value, trees.target.value]
    if (!now || !fitting.value || !source || !target || !character.value) return null
    const { skeleton_id } = fitting.value
    const size = library.skeletons.find((body) => body.id === skeleton_id)?.height ?? 1.7
    return {
      stage: now,
      fitting: fitting.value,
      trees: { source, target },
      rows: rows.value,
      heights: { source: size, target: character.value.height },
      beside: around.beside(),
    }
  }
  const camera = useKeptCamera(stage)
  /** Stand the two side by side or over each other; look: at both, wherever somebody had turned the camera to. */
  function place(look: boolean) {
    if (look) camera.forget()
    arrange(look)
  }
  /** The same, without forgetting that. */
  function arrange(look: boolean) {
    const bodies = pose()
    if (!bodies) return
    setUp(bodies, look, around.inStances() ? stances.view.value : 'Motion')
    stances.lay()
    stances.moved.value += 1
    around.placed()
  }
  /** One part of both bodies closely, or the whole bodies. */
  function lookAt(group: Group) {
    const bodies = pose()
    if (bodies && !closeUp(bodies, group)) place(true)
  }
  /** The frame on the stage; beside their stances the two stay where they are looked at. */
  function showFrame(frame: number) {
    stage.value?.setFrame(frame)
    const bodies = around.inStances() && stances.view.value === 'Both' ? pose() : null
    if (bodies) inPlace(bodies, besideStances(bodies))
  }
  return { place, arrange, camera, lookAt, showFrame }
}
