import { ref, shallowRef, watch, type ComputedRef, type Ref } from 'vue'

import { fetchPositions, type Refined } from '@/api/motion'
import { treeFor, type StageModule } from '@/features/fitting/figures'
import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Positions } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import { useCast, type Bones } from '@/stores/cast'
import type { Clip } from '@/stores/library'
import { carriedBy, carriedOn, sampled } from './curves'

const MOST_POSES = 18
const TICK = 5 // frames

/** A clip on its own skeleton, its take or what its recipe makes of it: on the stage, and as poses for the ribbon. */
export function useClipStage(canvas: Ref<HTMLCanvasElement | undefined>, height: ComputedRef<number>) {
  const cast = useCast()
  const stage = shallowRef<Stage>()
  const bones = shallowRef<Bones | null>(null)
  const take = shallowRef<(Positions & { fps: number }) | null>(null)
  /** What is shown, and of the refined clip what the take shows at the same times. */
  const now = shallowRef<Positions | null>(null)
  const before = shallowRef<Positions | null>(null)
  const frames = ref(1)
  const fps = ref(30)
  const rows = shallowRef<RibbonRow[]>([])
  const shown = ref<number[]>([])
  const follow = ref(true)
  const ghost = ref(false)
  const traced = ref<number | null>(null)
  let module: StageModule | undefined
  let trace: InstanceType<StageModule['Trace']> | undefined
  let hips = 0

  async function open(clip: Clip) {
    module ??= await import('@/stage')
    if (!canvas.value) return false
    const mine = (stage.value = module.openStage(canvas.value))
    const [tree, positions] = await Promise.all([
      cast.skeleton(clip.skeleton_id),
      fetchPositions(`/api/library/clips/${clip.id}/take`),
    ])
    if (stage.value !== mine) return false
    bones.value = tree
    take.value = positions
    fps.value = positions.fps
    hips = Math.max(0, tree.parts.indexOf('hips'))
    show(null)
    return true
  }
  function close() {
    trace?.dispose()
    trace = undefined
    stage.value?.dispose()
    stage.value = undefined
  }
  /** Show the clip as it is refined, or else its take. */
  function show(refined: Refined | null) {
    const mine = stage.value
    if (!mine || !module || !bones.value || !take.value) return
    const drawn = treeFor(module, bones.value)
    now.value = refined?.positions ?? take.value
    before.value = refined ? sampled(take.value, refined.takeFrames) : null
    mine.addSource('source', new module.BoneLines(drawn, mine.palette, height.value), now.value)
    frames.value = now.value.frames
    drawRibbon(drawn)
    drawGhost()
    drawTrace()
  }
  /** As it is after so many laps, each begun where the one before it ended. */
  function carry(laps: number) {
    if (!now.value) return
    const { x, z, turn } = carriedOn(laps ? carriedBy(now.value) : { turn: 0, x: 0, z: 0 }, laps)
    for (const key of ['source', 'ghost']) stage.value?.place(key, x, z, turn)
  }
  /** The take at the same times, faint; or any pose that is to be laid over. */
  function drawGhost(pose?: Positions) {
    const mine = stage.value
    if (!mine || !module || !bones.value) return
    const shape = pose ?? (ghost.value ? before.value : null)
    if (!shape) return void mine.remove('ghost')
    mine.addSource(
      'ghost',
      new module.BoneLines(treeFor(module, bones.value), module.faint(mine.palette), height.value),
      shape,
    )
  }
  function drawTrace() {
    const mine = stage.value
    trace?.dispose()
    trace = undefined
    if (!mine || !module || traced.value === null || !now.value) return void mine?.invalidate()
    trace = new module.Trace()
    if (before.value) trace.add(before.value, traced.value, module.faint(mine.palette).ink, TICK, 3)
    trace.add(now.value, traced.value, mine.palette.accent, TICK, 5)
    mine.addObject(trace.object)
  }
  /** Lay the pose of a frame of the take over the one of another, at whose place it stands. */
  function compare(ends: [first: number, last: number] | null) {
    const own = take.value
    if (!ends || !own) return drawGhost()
    const [first, last] = ends.map((frame) => sampled(own, new Float32Array([frame])).values)
    const values = last.slice()
    for (let n = 0; n < values.length; n += 3) {
      values[n] += first[hips * 3] - last[hips * 3]
      values[n + 2] += first[hips * 3 + 2] - last[hips * 3 + 2]
    }
    drawGhost({ frames: 1, points: own.points, values })
  }
  function drawRibbon(tree: ReturnType<typeof treeFor>) {
    const mine = stage.value
    const source = mine?.source('source')
    if (!mine || !source) return
    const at = mine.frame
    shown.value = spacedFrames(frames.value, MOST_POSES)
    const poses = shown.value.map((frame) => {
      mine.setFrame(frame)
      return source.positions.slice()
    })
    mine.setFrame(Math.min(at, frames.value - 1))
    rows.value = [{ poses, parents: tree.parents, sides: tree.sides }]
  }
  /** The middle of the body as it stands in a frame, wide enough for long ones, and as high as it ever comes. */
  function look(frame: number) {
    const mine = stage.value
    const source = mine?.source('source')
    if (!mine || !source) return
    mine.setFrame(frame)
    const { min, max } = boundsOf(source.positions)
    const wide = Math.max(max.x - min.x, max.z - min.z)
    const top = Math.max(height.value, ...rows.value.flatMap((row) => row.poses).map((pose) => boundsOf(pose).max.y))
    const [x, z] = [(min.x + max.x) / 2, (min.z + max.z) / 2]
    mine.floor.compassAt(max.x + 0.6, z + 0.2)
    const tall = Math.max(top * 1.12, wide * 1.15)
    // A low body is looked at lower down.
    mine.frameBox(x, z, Math.max(1.5, wide * 1.7), tall, 28, 8, (0.44 * top * 1.12) / tall)
    keepFollowing()
  }
  /** What is followed is drawn anew whenever something else is shown. */
  function keepFollowing() {
    const mine = stage.value
    mine?.setFollowed(
      follow.value
        ? () => {
            const source = mine.source('source')
            if (!source) return null
            const place = source.object.position.clone().fromArray(source.positions, hips * 3)
            return place.applyMatrix4(source.object.matrix)
          }
        : null,
    )
  }
  const boundsOf = (pose: Float32Array) => module!.boundsOf(pose)
  watch(follow, () => stage.value && look(stage.value.frame))
  watch(ghost, () => drawGhost())
  watch(traced, drawTrace)
  return {
    stage,
    bones,
    take,
    now,
    before,
    frames,
    fps,
    rows,
    shown,
    follow,
    ghost,
    traced,
    open,
    close,
    show,
    carry,
    compare,
    look,
  }
}
