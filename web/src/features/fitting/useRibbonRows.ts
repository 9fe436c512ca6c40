import { ref, shallowRef, type Ref, type ShallowRef } from 'vue'

import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Tree } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'

const MOST_POSES = 16

/** The rows of the pose ribbon: the source above, the character below, at regular frames. */
export function useRibbonRows(stage: ShallowRef<Stage | undefined>, target: Ref<Bones | null>) {
  const rows = shallowRef<RibbonRow[]>([])
  const shown = ref<number[]>([])

  function figureRow(): RibbonRow | null {
    const figure = stage.value?.figure('character')
    if (!figure || !target.value) return null
    const poses = shown.value.map((at) => {
      figure.pose(at)
      return figure.boneLines.positions.slice()
    })
    return { poses, parents: target.value.parents, sides: figure.boneLines.tree.sides }
  }
  function drawRows(frames: number, tree: Tree, positions: { points: number; values: Float32Array }) {
    shown.value = spacedFrames(frames, MOST_POSES)
    const size = positions.points * 3
    const above = shown.value.map((at) => positions.values.slice(at * size, (at + 1) * size))
    const below = figureRow()
    rows.value = below ? [{ poses: above, parents: tree.parents, sides: tree.sides }, below] : []
  }
  /** The character's row alone, after a change. */
  function drawFigure() {
    const below = figureRow()
    if (below && rows.value.length === 2) rows.value = [rows.value[0], below]
  }
  return { rows, shown, drawRows, drawFigure }
}
