import { ref, shallowRef, type Ref } from 'vue'

import { fetchArrays } from '@/api/client'
import { loadFigure, treeFor, type StageModule } from '@/features/fitting/figures'
import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Positions } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import type { CastingRow, EnsembleRow } from './ensembles'

const POSES = 18

/** Everybody and everything of an ensemble on one stage: as it was recorded, or as a casting does it. */
export function useEnsembleStage(canvas: Ref<HTMLCanvasElement | undefined>) {
  const stage = shallowRef<Stage>()
  const ribbons = shallowRef<RibbonRow[]>([])
  const shown = ref<number[]>([])
  const loading = ref(false)
  const cast = useCast()
  const library = useLibrary()
  let module: StageModule | undefined
  let props: InstanceType<StageModule['PropMeshes']>[] = []
  /** Whose figures are on the stage: fetched once for each state of a character. */
  let figures = ''
  let turn = 0

  /** Returns whether it is shown; not where something else is asked for by then. */
  async function show(row: EnsembleRow, casting: CastingRow | null, frame: number) {
    const own = ++turn
    loading.value = true
    try {
      module ??= await import('@/stage')
      if (!canvas.value || own !== turn) return false
      const mine = (stage.value ??= module.openStage(canvas.value))
      const done = await (casting ? showCasting(mine, row, casting, own) : showRecording(mine, row, own))
      if (own !== turn || stage.value !== mine || !done) return false
      setFrame(frame)
      return true
    } finally {
      if (own === turn) loading.value = false
    }
  }
  async function showRecording(mine: Stage, row: EnsembleRow, own: number) {
    const [{ blocks }, ...trees] = await Promise.all([
      fetchArrays(`/api/ensembles/${row.id}/recording`),
      ...row.people.map((each) => cast.skeleton(each.skeleton_id)),
    ])
    if (own !== turn) return false
    mine.clear()
    figures = ''
    const people = row.people.map((each, n) => {
      const positions = positionsOf(blocks[n])
      const height = library.skeletons.find((body) => body.id === each.skeleton_id)?.height ?? 1.7
      mine.addSource(each.name, new module!.BoneLines(treeFor(module!, trees[n]), mine.palette, height), positions)
      return { positions, parents: trees[n].parents, parts: trees[n].parts }
    })
    putProps(mine, row, blocks.slice(row.people.length), () => 1)
    shown.value = spacedFrames(people[0]?.positions.frames ?? 1, POSES)
    ribbons.value = people.map(({ positions, parents, parts }) => ({
      poses: shown.value.map((frame) => poseOf(positions, frame)),
      parents,
      sides: parts.map(sideOf),
    }))
    return true
  }
  async function showCasting(mine: Stage, row: EnsembleRow, casting: CastingRow, own: number) {
    const characters = row.people.map((each) => cast.characters.find(({ id }) => id === casting.cast[each.name]))
    const key = characters.map((character) => `${character?.id}.${character?.revision}`).join()
    const [{ blocks }, ...bodies] = await Promise.all([
      fetchArrays(`/api/ensembles/castings/${casting.id}/motion`),
      ...characters.map((character) =>
        character && key !== figures ? loadFigure(module!, mine.palette, character) : null,
      ),
    ])
    if (own !== turn) return false
    if (key !== figures) {
      mine.clear()
      row.people.forEach((each, n) => bodies[n] && mine.add(each.name, bodies[n]))
      figures = key
    }
    row.people.forEach((each, n) => {
      const [rotations, translations] = blocks.slice(n * 2, n * 2 + 2)
      const [frames, joints] = rotations.shape
      const motion = { frames, joints, rotations: rotations.values, translations: translations.values }
      mine.figure(each.name)?.play(motion)
    })
    putProps(mine, row, blocks.slice(row.people.length * 2), (name) => casting.sizes_used[name] ?? 1)
    shown.value = spacedFrames(blocks[0].shape[0], POSES)
    const trees = await Promise.all(characters.map((character) => cast.skeleton(character?.skeleton_id ?? 0)))
    if (own !== turn) return false
    ribbons.value = row.people.map((each, n) => {
      const path = mine.figure(each.name)?.path(shown.value)
      const poses = path ? shown.value.map((_, k) => poseOf(path, k)) : []
      return { poses, parents: trees[n].parents, sides: trees[n].parts.map(sideOf) }
    })
    return true
  }
  function putProps(
    mine: Stage,
    row: EnsembleRow,
    blocks: { shape: number[]; values: Float32Array }[],
    size: (name: string) => number,
  ) {
    props.forEach((prop) => prop.dispose())
    props = row.things.map(
      (prop, n) => new module!.PropMeshes(prop.shapes, blocks[n].values, size(prop.name), mine.palette),
    )
    props.forEach((prop) => mine.addObject(prop.object))
  }
  function setFrame(frame: number) {
    props.forEach((prop) => prop.pose(frame))
    stage.value?.setFrame(frame)
  }
  /** Everybody, where they are in the middle of the ensemble. */
  function look() {
    const mine = stage.value
    if (!mine) return
    const places = Object.values(mine.positions()).flat()
    const of = (axis: number) => places.map((place) => place[axis])
    const [low, high] = [0, 1, 2].reduce(
      ([least, most], axis) => [
        [...least, Math.min(...of(axis))],
        [...most, Math.max(...of(axis))],
      ],
      [[], []] as number[][],
    )
    if (!places.length) return
    const wide = Math.hypot(high[0] - low[0], high[2] - low[2])
    mine.setFollowed(null)
    mine.frameBox(
      (low[0] + high[0]) / 2,
      (low[2] + high[2]) / 2,
      Math.max(wide, 1) + 0.9,
      high[1] * 1.25 + 0.1,
      68,
      9,
      0.46,
    )
  }
  /** The camera goes along with the middle of everybody, from the frame that is shown on. */
  function follow(row: EnsembleRow) {
    const mine = stage.value
    if (!mine) return
    const point = mine.controls.target.clone()
    mine.setFollowed(() => {
      const bodies = row.performers.map((who) => (mine.figure(who)?.boneLines ?? mine.source(who))?.positions)
      const places = bodies.filter((at) => at !== undefined)
      const middle = (axis: number) => places.reduce((sum, at) => sum + mean(at, axis), 0) / places.length
      return places.length ? point.clone().set(middle(0), middle(1), middle(2)) : null
    })
  }
  function close() {
    turn++
    props.forEach((prop) => prop.dispose())
    props = []
    figures = ''
    stage.value?.dispose()
    stage.value = undefined
  }
  return { stage, ribbons, shown, loading, show, setFrame, look, follow, close }
}

const positionsOf = ({ shape: [frames, points], values }: { shape: number[]; values: Float32Array }): Positions => ({
  frames,
  points,
  values,
})
const poseOf = ({ points, values }: Positions, frame: number) =>
  values.slice(frame * points * 3, (frame + 1) * points * 3)
const mean = (values: Float32Array, axis: number) => {
  let sum = 0
  for (let n = axis; n < values.length; n += 3) sum += values[n]
  return (sum * 3) / values.length
}
const sideOf = (part: string | null) => (part?.startsWith('left') ? 'left' : part?.startsWith('right') ? 'right' : '')
