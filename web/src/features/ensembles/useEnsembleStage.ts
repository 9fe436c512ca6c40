import { ref, shallowRef, type Ref } from 'vue'

import { fetchArrays } from '@/api/client'
import { loadFigure, treeFor, type StageModule } from '@/features/fitting/figures'
import type { RibbonRow } from '@/shared/player/PoseRibbon.vue'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Positions } from '@/stage/motion'
import type { PropShape } from '@/stage/propMeshes'
import type { Stage } from '@/stage/stage'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'

const POSES = 18
const FROM = 68 // degrees about up, from which an ensemble is looked at
const ACROSS = [Math.cos((FROM * Math.PI) / 180), -Math.sin((FROM * Math.PI) / 180)] // to the right then: x and z
const APART = 1.2 // metres between the recording and those who play

/** A prop: its shapes, the places of its handles where they are to be seen, and times which both are larger. */
interface ShownProp {
  shapes: PropShape[]
  handles?: number[][]
  size: number
}
/** An ensemble as it was recorded. motion: the address of its arrays; performers with their skeletons. */
export interface Recorded {
  motion: string
  performers: { name: string; skeleton: number }[]
  props: ShownProp[]
}
/** What a casting does: performers with their characters. */
export interface Performed {
  motion: string
  performers: { name: string; character: number }[]
  props: ShownProp[]
}
/** Where somebody is on the floor, in metres; heading: radians about up from +Z; height: of the character. */
export interface Standing {
  x: number
  z: number
  heading: number
  height: number
}
/** Of a performer of the recording, where the character that plays it is on the stage under its own name. */
const sourceKey = (name: string) => `source ${name}`

/**
 * Everybody and everything of an ensemble on one stage: as it was recorded, as a casting does it, or both; then the
 * recording is drawn over it, or stands beside it.
 */
export function useEnsembleStage(canvas: Ref<HTMLCanvasElement | undefined>) {
  const stage = shallowRef<Stage>()
  const ribbons = shallowRef<RibbonRow[]>([])
  const shown = ref<number[]>([])
  const loading = ref(false)
  const cast = useCast()
  const library = useLibrary()
  let module: StageModule | undefined
  let props: { mesh: InstanceType<StageModule['PropMeshes']>; recorded: boolean }[] = []
  /** Whose figures are on the stage: fetched once for each state of a character. */
  let figures = ''
  let people: string[] = []
  /** Of performers that are on the stage as characters: which joints tell where they stand. */
  const bodies = new Map<string, { hips: number; left: number; right: number; height: number }>()
  let turn = 0

  /** Returns whether it is shown; not where something else is asked for by then. */
  async function show(recorded: Recorded | null, performed: Performed | null, frame: number) {
    const own = ++turn
    loading.value = true
    try {
      module ??= await import('@/stage')
      if (!canvas.value || own !== turn) return false
      const mine = (stage.value ??= module.openStage(canvas.value))
      const [before, now] = await Promise.all([
        recorded && fetchRecorded(recorded),
        performed && fetchPerformed(mine, performed),
      ])
      if (own !== turn || stage.value !== mine) return false
      put(mine, before, now)
      setFrame(frame)
      return true
    } finally {
      if (own === turn) loading.value = false
    }
  }
  async function fetchRecorded(recorded: Recorded) {
    const [{ blocks }, ...trees] = await Promise.all([
      fetchArrays(recorded.motion),
      ...recorded.performers.map((each) => cast.skeleton(each.skeleton)),
    ])
    return { recorded, blocks, trees }
  }
  async function fetchPerformed(mine: Stage, performed: Performed) {
    const characters = performed.performers.map((each) => cast.characters.find(({ id }) => id === each.character))
    const key = characters.map((character) => `${character?.id}.${character?.revision}`).join()
    const fetched = key === figures
    const [{ blocks }, figuresOf, trees] = await Promise.all([
      fetchArrays(performed.motion),
      Promise.all(
        characters.map((character) => (character && !fetched ? loadFigure(module!, mine.palette, character) : null)),
      ),
      Promise.all(characters.map((character) => cast.skeleton(character?.skeleton_id ?? 0))),
    ])
    return { performed, blocks, trees, key, figures: figuresOf, heights: characters.map((each) => each?.height ?? 1.7) }
  }
  function put(
    mine: Stage,
    before: Awaited<ReturnType<typeof fetchRecorded>> | null,
    now: Awaited<ReturnType<typeof fetchPerformed>> | null,
  ) {
    if ((now?.key ?? '') !== figures) mine.clear()
    else people.forEach((name) => mine.remove(sourceKey(name)))
    const first = figures
    figures = now?.key ?? ''
    people = (now?.performed ?? before?.recorded)?.performers.map(({ name }) => name) ?? []
    props.forEach(({ mesh }) => mesh.dispose())
    props = []
    ribbons.value = []
    if (before) {
      const { recorded, blocks, trees } = before
      recorded.performers.forEach(({ name, skeleton }, n) => {
        const height = library.skeletons.find((body) => body.id === skeleton)?.height ?? 1.7
        const lines = new module!.BoneLines(treeFor(module!, trees[n]), mine.palette, height)
        mine.addSource(sourceKey(name), lines, positionsOf(blocks[n]))
      })
      putProps(mine, recorded.props, blocks.slice(recorded.performers.length), true)
    }
    if (now) {
      const { performed, blocks, trees } = now
      bodies.clear()
      performed.performers.forEach(({ name }, n) => {
        const body = now.figures[n]
        if (body && figures !== first) mine.add(name, body)
        const { parts } = trees[n]
        const [hips, left, right] = ['hips', 'left upper leg', 'right upper leg'].map((part) => parts.indexOf(part))
        if (hips >= 0) bodies.set(name, { hips, left, right, height: now.heights[n] })
        mine.place(name, 0, 0, 0)
        const [rotations, translations] = blocks.slice(n * 2, n * 2 + 2)
        const [frames, joints] = rotations.shape
        const motion = { frames, joints, rotations: rotations.values, translations: translations.values }
        mine.figure(name)?.play(motion)
      })
      putProps(mine, performed.props, blocks.slice(performed.performers.length * 2), false)
      shown.value = spacedFrames(blocks[0].shape[0], POSES)
      ribbons.value = performed.performers.map(({ name }, n) => {
        const path = mine.figure(name)?.path(shown.value)
        const poses = path ? shown.value.map((_, k) => poseOf(path, k)) : []
        return { poses, parents: trees[n].parents, sides: trees[n].parts.map(sideOf) }
      })
    } else if (before) {
      const { recorded, blocks, trees } = before
      shown.value = spacedFrames(blocks[0].shape[0], POSES)
      ribbons.value = recorded.performers.map((_, n) => ({
        poses: shown.value.map((frame) => poseOf(positionsOf(blocks[n]), frame)),
        parents: trees[n].parents,
        sides: trees[n].parts.map(sideOf),
      }))
    }
  }
  function putProps(
    mine: Stage,
    all: Recorded['props'],
    blocks: { shape: number[]; values: Float32Array }[],
    recorded: boolean,
  ) {
    const made = all.map(({ shapes, handles = [], size }, n) => ({
      mesh: new module!.PropMeshes(shapes, handles, blocks[n].values, size, mine.palette),
      recorded,
    }))
    made.forEach(({ mesh }) => mine.addObject(mesh.object))
    props.push(...made)
  }
  function setFrame(frame: number) {
    props.forEach(({ mesh }) => mesh.pose(frame))
    stage.value?.setFrame(frame)
  }
  /** Where everybody is, over each other or with the recording beside. */
  function arrange(beside: boolean) {
    const mine = stage.value
    if (!mine) return
    const own = reachOf(people)
    const other = reachOf(people.map(sourceKey))
    const both = own && other
    // To the left of them, as they are looked at.
    const aside = both && beside ? own[0] - other[1] - APART : 0
    const [x, z] = [aside * ACROSS[0], aside * ACROSS[1]]
    people.forEach((name) => mine.moveTo(sourceKey(name), x, z))
    for (const prop of props.filter(({ recorded }) => recorded)) {
      prop.mesh.moveTo(x, z)
      // Over each other one prop is enough, in the size of those who play.
      prop.mesh.object.visible = beside || !both
    }
    mine.invalidate()
  }
  /** From where to where bodies are in this frame, across the line of sight. */
  function reachOf(keys: string[]): [number, number] | null {
    const at: number[] = []
    for (const key of keys) {
      const places = (stage.value?.figure(key)?.boneLines ?? stage.value?.source(key))?.positions ?? []
      for (let n = 0; n < places.length; n += 3) at.push(places[n] * ACROSS[0] + places[n + 2] * ACROSS[1])
    }
    return at.length ? [Math.min(...at), Math.max(...at)] : null
  }
  /** Where a performer stands in the frame that is shown; null where there is no such body on the stage. */
  function standing(name: string): Standing | null {
    const body = bodies.get(name)
    const places = body && stage.value?.figure(name)?.worldPositions()
    if (!body || !places) return null
    const [x, , z] = places[body.hips]
    const across =
      body.left < 0 || body.right < 0 ? [1, 0, 0] : places[body.left].map((at, n) => at - places[body.right][n])
    return { x, z, heading: Math.atan2(-across[2], across[0]), height: body.height }
  }
  /** With meshes or bones alone. */
  function dress(mesh: boolean, bones: boolean) {
    for (const name of people) stage.value?.figure(name)?.show(mesh, bones || !mesh)
    stage.value?.invalidate()
  }
  /** Everybody, where they are in the frame that is shown. */
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
      FROM,
      9,
      0.46,
    )
  }
  /** The camera goes along with the middle of everybody, from the frame that is shown on. */
  function follow() {
    const mine = stage.value
    if (!mine) return
    const point = mine.controls.target.clone()
    mine.setFollowed(() => {
      const bodies = people.map((who) => (mine.figure(who)?.boneLines ?? mine.source(sourceKey(who)))?.positions)
      const places = bodies.filter((at) => at !== undefined)
      const middle = (axis: number) => places.reduce((sum, at) => sum + mean(at, axis), 0) / places.length
      return places.length ? point.clone().set(middle(0), middle(1), middle(2)) : null
    })
  }
  function close() {
    turn++
    props.forEach(({ mesh }) => mesh.dispose())
    props = []
    figures = ''
    people = []
    bodies.clear()
    stage.value?.dispose()
    stage.value = undefined
  }
  return { stage, ribbons, shown, loading, show, setFrame, arrange, standing, dress, look, follow, close }
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
