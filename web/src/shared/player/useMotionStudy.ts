import { useLocalStorage } from '@vueuse/core'
import { computed, onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'

import type { StageModule } from '@/features/fitting/figures'
import type { Positions } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'
import { curveOf, type Curve } from './boneCurves'

const EACH_SIDE = 3 // poses before and after
const PER_SECOND = 6
const PAPER = [0.4, 0.58, 0.74] // how much of the paper is in a pose, by how far off it is
const TICK = 5 // frames between two marks of a trace
const WHO = 'character'
const CURVES: (Curve | '')[] = ['height', 'speed', 'bend', '']

/** A bone of something else, to compare with: of the source, that the bone in hand follows. */
export interface Compared {
  positions: Positions
  bone: number
  parents: number[]
}

/**
 * The motion of the figure looked at more closely: the poses around the one that is shown, and the trace and the curve
 * of a bone.
 */
export function useMotionStudy(around: {
  stage: ShallowRef<Stage | undefined>
  module: () => StageModule | undefined
  bones: Ref<Bones | null>
  frame: Ref<number>
  frames: Ref<number>
  fps: Ref<number>
  /** What a bone of the figure is compared with, if with anything. */
  compared?: (bone: string) => Compared | null
}) {
  const { stage, bones, frame, frames, fps } = around
  const neighbours = useLocalStorage('armuto.neighbours', false)
  const trace = useLocalStorage('armuto.trace', false)
  const curve = useLocalStorage<Curve | ''>('armuto.curve', '')
  const name = ref('')
  /** The places of all joints through the clip, from where the figure stands. */
  const path = shallowRef<Positions | null>(null)
  let drawn: InstanceType<StageModule['Trace']> | undefined

  const bone = computed({
    get: () => {
      const { names = [], parts = [] } = bones.value ?? {}
      return Math.max(0, name.value ? names.indexOf(name.value) : parts.indexOf('hips'))
    },
    set: (joint) => (name.value = bones.value?.names[joint] ?? ''),
  })
  const other = computed(() => around.compared?.(bones.value?.names[bone.value] ?? '') ?? null)
  const curves = computed(() => {
    if (!curve.value || !path.value || !bones.value) return { own: null, other: null }
    const own = curveOf(curve.value, path.value, bone.value, bones.value.parents, fps.value)
    const source = other.value
    return { own, other: source && curveOf(curve.value, source.positions, source.bone, source.parents, fps.value) }
  })

  const keyOf = (n: number) => `neighbour ${n}`
  function drawNeighbours() {
    const [now, module, tree] = [stage.value, around.module(), bones.value]
    const figure = now?.figure(WHO)
    if (!now || !module || !figure || !tree) return
    if (!neighbours.value || frames.value < 2) {
      if (now.source(keyOf(0))) for (let n = 0; n < 2 * EACH_SIDE; n++) now.remove(keyOf(n))
      return
    }
    const step = Math.max(1, Math.round(fps.value / PER_SECOND))
    const offsets = Array.from({ length: EACH_SIDE }, (_, n) => [-(n + 1) * step, (n + 1) * step]).flat()
    const poses = figure.path(offsets.map((by) => frame.value + by))
    const { x, z } = now.placeOf(WHO)
    offsets.forEach((by, n) => {
      const pale = PAPER[n >> 1]
      if (!now.source(keyOf(n))) {
        const shape = { ...figure.boneLines.tree, rings: 0 }
        now.addSource(
          keyOf(n),
          new module.BoneLines(shape, module.faint(now.palette, pale), figure.boneLines.size),
          null,
        )
      }
      now.source(keyOf(n))!.place(poses.values, n * poses.points * 3)
      now.moveTo(keyOf(n), x, z)
      now.reveal(keyOf(n), frame.value + by >= 0 && frame.value + by < frames.value)
    })
  }
  function drawTrace() {
    drawn?.dispose()
    drawn = undefined
    const [now, module] = [stage.value, around.module()]
    const figure = now?.figure(WHO)
    if (now && module && figure && trace.value && path.value) {
      drawn = new module.Trace()
      drawn.add(path.value, bone.value, now.palette.accent, TICK, 5)
      figure.object.add(drawn.object)
    }
    now?.invalidate()
  }
  /** The figure has another motion, or is another one. */
  function follow() {
    const figure = stage.value?.figure(WHO)
    const needed = (trace.value || curve.value) && figure && frames.value > 1
    path.value = needed ? figure.path(Array.from({ length: frames.value }, (_, n) => n)) : null
    drawTrace()
    drawNeighbours()
  }
  /** A bone that somebody has chosen elsewhere is the one to look at. */
  const choose = (chosen: string | null | undefined) => chosen && (name.value = chosen)
  const nextCurve = () => (curve.value = CURVES[(CURVES.indexOf(curve.value) + 1) % CURVES.length])

  watch([trace, curve], () => (path.value ? drawTrace() : follow()))
  watch(bone, drawTrace)
  watch([neighbours, frame], drawNeighbours, { flush: 'post' })
  onScopeDispose(() => drawn?.dispose())
  return { neighbours, trace, curve, bone, bones, curves, follow, moved: drawNeighbours, choose, nextCurve }
}
export type MotionStudy = ReturnType<typeof useMotionStudy>
