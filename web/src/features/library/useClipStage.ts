import { ref, shallowRef, watch, type ComputedRef, type Ref } from 'vue'

import { fetchPositions } from '@/api/motion'
import { treeFor, type StageModule } from '@/features/fitting/figures'
import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Stage } from '@/stage/stage'
import { useCast, type Bones } from '@/stores/cast'
import type { Clip } from '@/stores/library'

const MOST_POSES = 18

/** A clip's whole take on its own skeleton: on the stage, and as poses for the ribbon. */
export function useClipStage(canvas: Ref<HTMLCanvasElement | undefined>, height: ComputedRef<number>) {
  const cast = useCast()
  const stage = shallowRef<Stage>()
  const bones = shallowRef<Bones | null>(null)
  const frames = ref(1)
  const fps = ref(30)
  const rows = shallowRef<RibbonRow[]>([])
  const shown = ref<number[]>([])
  const follow = ref(true)
  let module: StageModule | undefined
  let hips = 0

  async function open(clip: Clip) {
    module ??= await import('@/stage')
    if (!canvas.value) return false
    const now = (stage.value = module.openStage(canvas.value))
    const [tree, positions] = await Promise.all([
      cast.skeleton(clip.skeleton_id),
      fetchPositions(`/api/library/clips/${clip.id}/take`),
    ])
    if (stage.value !== now) return false
    bones.value = tree
    hips = Math.max(0, tree.parts.indexOf('hips'))
    const drawn = treeFor(module, tree)
    now.addSource('source', new module.BoneLines(drawn, now.palette, height.value), positions)
    frames.value = positions.frames
    fps.value = positions.fps
    drawRibbon(drawn)
    return true
  }
  function close() {
    stage.value?.dispose()
    stage.value = undefined
  }
  function drawRibbon(tree: ReturnType<typeof treeFor>) {
    const now = stage.value
    const source = now?.source('source')
    if (!now || !source) return
    shown.value = spacedFrames(frames.value, MOST_POSES)
    const poses = shown.value.map((frame) => {
      now.setFrame(frame)
      return source.positions.slice()
    })
    rows.value = [{ poses, parents: tree.parents, sides: tree.sides }]
  }
  /** The middle of the body as it stands in a frame, wide enough for long ones, and as high as it ever comes. */
  function look(frame: number) {
    const now = stage.value
    const source = now?.source('source')
    if (!now || !source) return
    now.setFrame(frame)
    const { min, max } = boundsOf(source.positions)
    const wide = Math.max(max.x - min.x, max.z - min.z)
    const top = Math.max(height.value, ...rows.value.flatMap((row) => row.poses).map((pose) => boundsOf(pose).max.y))
    const [x, z] = [(min.x + max.x) / 2, (min.z + max.z) / 2]
    now.floor.compassAt(max.x + 0.6, z + 0.2)
    const tall = Math.max(top * 1.12, wide * 1.15)
    // A low body is looked at lower down.
    now.frameBox(x, z, Math.max(1.5, wide * 1.7), tall, 28, 8, (0.44 * top * 1.12) / tall)
    now.setFollowed(follow.value ? () => source.object.position.clone().fromArray(source.positions, hips * 3) : null)
  }
  const boundsOf = (pose: Float32Array) => module!.boundsOf(pose)
  watch(follow, () => stage.value && look(stage.value.frame))
  return { stage, bones, frames, fps, rows, shown, follow, open, close, look }
}
