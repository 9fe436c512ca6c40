import { ref, shallowRef, watch, type Ref } from 'vue'

import { fetchPositions } from '@/api/motion'
import { treeFor, type StageModule } from '@/features/fitting/figures'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Positions } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import { useCast, type Bones } from '@/stores/cast'
import type { Made } from './splices'

const TICK = 5 // frames
const INKED = 14 // poses along the path

/** The whole of a splice on the stage: the figure, its path on the floor with poses inked along it, and the joins. */
export function useSpliceStage(canvas: Ref<HTMLCanvasElement | undefined>) {
  const stage = shallowRef<Stage>()
  const bones = shallowRef<Bones | null>(null)
  const frames = ref(1)
  const follow = ref(false)
  const inked = ref(true)
  let module: StageModule | undefined
  let trace: InstanceType<StageModule['Trace']> | undefined
  let marks: InstanceType<StageModule['FloorMarks']> | undefined
  let now: Positions | null = null
  let height = 1.7
  let hips = 0
  let framed: number[][] = [
    [0, 0],
    [0, 0],
  ]

  /** Returns what the clip shows, or null where the view is gone meanwhile. */
  async function open(clip: number, skeleton: number, tall: number) {
    module ??= await import('@/stage')
    if (!canvas.value) return null
    const mine = (stage.value ??= module.openStage(canvas.value))
    const [tree, positions] = await Promise.all([
      useCast().skeleton(skeleton),
      fetchPositions(`/api/library/clips/${clip}/positions`),
    ])
    if (stage.value !== mine) return null
    bones.value = tree
    height = tall
    hips = Math.max(0, tree.parts.indexOf('hips'))
    return positions
  }
  function close() {
    clearDrawn()
    stage.value?.dispose()
    stage.value = undefined
  }
  function clearDrawn() {
    trace?.dispose()
    marks?.dispose()
    trace = marks = undefined
  }
  /** Show motion, with its joins. whole: with everything that a hand that still draws need not see. */
  function show(positions: Positions, made: Made, chosen: number, whole: boolean) {
    const mine = stage.value
    if (!mine || !module || !bones.value) return
    const tree = treeFor(module, bones.value)
    now = positions
    // What is drawn later lies over what is at the same place.
    if (whole) drawInked()
    mine.addSource('source', new module.BoneLines(tree, mine.palette, height), positions)
    frames.value = positions.frames
    clearDrawn()
    trace = new module.Trace()
    trace.add(onFloor(positions), 0, mine.palette.ink, TICK, 3)
    mine.addObject(trace.object)
    marks = new module.FloorMarks()
    made.joins.forEach((join, n) =>
      marks!.add(join.place[0], join.place[2], n === chosen ? mine.palette.accent : mine.palette.ink, n === chosen),
    )
    mine.addObject(marks.object)
  }
  function onFloor({ frames: count, points, values }: Positions): Positions {
    const path = new Float32Array(count * 3)
    for (let frame = 0; frame < count; frame++) {
      const at = (frame * points + hips) * 3
      path.set([values[at], 0.004, values[at + 2]], frame * 3)
    }
    return { frames: count, points: 1, values: path }
  }
  const poseAt = (frame: number) => now!.values.slice(frame * now!.points * 3, (frame + 1) * now!.points * 3)
  function drawInked() {
    const mine = stage.value
    if (!mine || !module || !bones.value || !now) return
    for (let n = 0; n < INKED; n++) mine.remove(`pose ${n}`)
    if (!inked.value) return void mine.invalidate()
    const tree = treeFor(module, bones.value)
    const palette = module.faint(mine.palette)
    apartFrames(now).forEach((frame, n) => {
      const pose = { frames: 1, points: now!.points, values: poseAt(frame) }
      mine.addSource(`pose ${n}`, new module!.BoneLines(tree, palette, height), pose)
    })
  }
  /** Frames spaced in time, without those that stand where another one stands. */
  function apartFrames({ frames: count, points, values }: Positions) {
    const place = (frame: number) => [0, 2].map((axis) => values[(frame * points + hips) * 3 + axis])
    const out: number[] = []
    for (const frame of spacedFrames(count, INKED)) {
      const [x, z] = place(frame)
      if (out.every((other) => Math.hypot(x - place(other)[0], z - place(other)[1]) > 0.16 * height)) out.push(frame)
    }
    return out
  }
  /** Where the path lies over the ground, ``[least, most]`` of x and of z. */
  function extent() {
    const path = onFloor(now!).values
    const [xs, zs] = [0, 2].map((axis) => path.filter((_, n) => n % 3 === axis))
    const of = (values: Float32Array) => [
      values.reduce((a, b) => Math.min(a, b)),
      values.reduce((a, b) => Math.max(a, b)),
    ]
    return [of(xs), of(zs)]
  }
  /** Whether the path now goes where nobody looks, or is much shorter than what is looked at. */
  function isOut() {
    if (!now || follow.value) return false
    const [was, is] = [framed, extent()]
    const wide = Math.max(height, ...was.map(([low, high]) => high - low))
    return is.some(([low, high], axis) =>
      [low - was[axis][0], high - was[axis][1]].some((off) => Math.abs(off) > 0.35 * wide),
    )
  }
  /** The whole path, or the figure where the camera follows it. */
  function look(frame: number) {
    const mine = stage.value
    if (!mine || !now) return
    const source = mine.source('source')
    mine.setFrame(frame)
    mine.setFollowed(null)
    if (follow.value && source) {
      const [x, , z] = source.positions.slice(hips * 3, hips * 3 + 3)
      mine.frameBox(x, z, Math.max(1.5, height), height * 1.12, 28, 8)
      mine.setFollowed(() => source.object.position.clone().fromArray(source.positions, hips * 3))
      return
    }
    framed = extent()
    const path = onFloor(now).values
    const [low, high] = [0, 1].map((end) => framed.map((range) => range[end]))
    const wide = Math.hypot(high[0] - low[0], high[1] - low[1]) + height
    mine.floor.compassAt(high[0] + 0.6, high[1] + 0.2)
    // From beside the way, so that poses stand next to each other.
    const last = path.length - 3
    const along = (Math.atan2(path[last] - path[0], path[last + 2] - path[2]) * 180) / Math.PI
    const from = Number.isFinite(along) ? along + 62 : 28
    mine.frameBox((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, wide, height * 1.2, from, 16, 0.4)
  }
  watch(follow, () => stage.value && look(stage.value.frame))
  watch(inked, () => {
    drawInked()
    const mine = stage.value
    if (mine && module && bones.value && now)
      mine.addSource('source', new module.BoneLines(treeFor(module, bones.value), mine.palette, height), now)
  })
  return { stage, bones, frames, follow, inked, open, close, show, look, isOut }
}
