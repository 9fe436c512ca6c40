import { Vector3 } from 'three'
import { computed, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'

import { answer, client, fetchArrays } from '@/api/client'
import { decodeFloats, decodePose } from '@/api/motion'
import { useTrials } from '@/shared/useTrials'
import type { Stage } from '@/stage/stage'
import type { Bones, Character } from '@/stores/cast'
import { useMessages } from '@/stores/messages'
import { loadFigure, treeFor, type StageModule } from './figures'
import { jointPosition, onGround, type Axes, type BonePose } from './stanceGeometry'
import { read, type Offers, type Standing, type StanceRow, type View, type Wanted } from './stances'
import type { Fitting, Which } from './weave'

interface Around {
  fitting: ShallowRef<Fitting | null>
  stage: ShallowRef<Stage | undefined>
  module: () => StageModule | undefined
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
  character: Ref<Character | undefined>
  shown: () => { clip?: number; frame: number }
  active: () => boolean
  beside: () => boolean
  mesh: () => boolean
}
const UP = new Vector3(0, 1, 0)
const scratch = new Vector3()
/** From the way the source faces to the way the character does, radians about up. */
const facing = ({ measures }: Fitting) => ((measures.target_facing - measures.source_facing) * Math.PI) / 180
export const KEYS = { source: 'stance source', target: 'stance character' } as const

/**
 * The two bodies in their stances on the stage: fetched, laid over each other at the hips, tried, compared with
 * before.
 */
export function useStances(around: Around) {
  const view = ref<View>('Both')
  const rollMarkers = ref(false)
  const comparing = ref(false)
  const chosen = ref<{ which: Which; bone: string } | null>(null)
  const axes = ref<Axes>('own')
  const snap = ref(5)
  const standing = shallowRef<Standing | null>(null)
  const offers = shallowRef<Record<Which, Offers> | null>(null)
  const tried = shallowRef<StanceRow[] | null>(null)
  const turns = shallowRef<Float32Array | null>(null)
  /** Counts up whenever what stands on the stage has changed. */
  const moved = ref(0)
  const { fitting, stage, trees } = around
  const rows = computed(() => tried.value ?? fitting.value?.stance ?? [])
  const forward = computed(() => onGround(fitting.value?.measures.target_facing ?? 0))
  const path = () => ({ params: { path: { fitting_id: fitting.value!.id } } })
  let local: { source: Float32Array; target: Float32Array } | null = null
  let opening: Promise<void> | null = null

  /** Bring the two onto the stage, once the leaf is looked at. */
  async function open() {
    const [now, module] = [stage.value, around.module()]
    if (!now || !module || !fitting.value || !around.character.value || !trees.source.value || !trees.target.value)
      return
    // The stances first: a figure that is added before them would be seen in the pose of its file for a moment.
    const [figure, { blocks }] = await Promise.all([
      now.figure(KEYS.target) ? null : loadFigure(module, now.palette, around.character.value),
      fetchArrays(`/api/fittings/${fitting.value.id}/standing`),
    ])
    if (stage.value !== now) return figure?.dispose()
    if (figure) {
      figure.bare()
      now.add(KEYS.target, figure)
      now.addSource(
        KEYS.source,
        new module.BoneLines(treeFor(module, trees.source.value), now.palette, around.character.value.height, true),
        null,
      )
    }
    take(join(blocks.map((block) => block.values)))
  }
  const show = () => (opening = (opening ?? Promise.resolve()).then(open).catch(useMessages().fail))
  const join = (parts: Float32Array[]) => {
    const out = new Float32Array(parts.reduce((sum, part) => sum + part.length, 0))
    let at = 0
    for (const part of parts) {
      out.set(part, at)
      at += part.length
    }
    return out
  }

  /** Both stand as the values say; kept for the rollMarkers unless it is only looked at. */
  function take(values: Float32Array, look = false) {
    const [source, target, now] = [trees.source.value, trees.target.value, stage.value]
    if (!source || !target || !now) return
    const found = read(values, { source, target })
    standing.value = found
    const figure = now.figure(KEYS.target)
    figure?.take(found.target.rotations, found.target.translations)
    lay()
    const module = around.module()
    if (figure && module && !look) {
      local = {
        source: module.turned(found.source.marks, found.source.turns, source.names.length, true),
        target: module.turned(found.target.marks, figure.worldTurns(), target.names.length, true),
      }
    }
    moved.value += 1
  }
  /** The source's stance in the character's size and facing, its hips on the character's, or beside it in its own. */
  function lay() {
    const [now, found, fit] = [stage.value, standing.value, fitting.value]
    const [source, figure] = [now?.source(KEYS.source), now?.figure(KEYS.target)]
    if (!now || !found || !fit || !source || !figure || !trees.source.value || !trees.target.value) return
    const hips = {
      source: Math.max(0, trees.source.value.parts.indexOf('hips')),
      target: Math.max(0, trees.target.value.parts.indexOf('hips')),
    }
    const over = !around.beside()
    const angle = facing(fit)
    const size = over ? fit.measures.size : 1
    const from = new Vector3().fromArray(found.source.positions, hips.source * 3)
    const to = new Vector3().fromArray(figure.boneLines.positions, hips.target * 3).sub(figure.object.position)
    if (!over) from.y = to.y = 0
    const values = new Float32Array(found.source.positions.length)
    for (let n = 0; n < values.length; n += 3)
      scratch
        .fromArray(found.source.positions, n)
        .sub(from)
        .applyAxisAngle(UP, angle)
        .multiplyScalar(size)
        .add(to)
        .toArray(values, n)
    source.place(values)
    now.invalidate()
  }
  /** What is seen of everything on the stage. */
  function reveal() {
    const now = stage.value
    if (!now) return
    const active = around.active()
    const stances = active && view.value !== 'Motion'
    const motion = !active || view.value !== 'Stance'
    now.reveal('source', motion)
    now.reveal('character', motion)
    now.reveal(KEYS.source, stances)
    now.reveal(KEYS.target, stances)
    if (stances) now.figure(KEYS.target)?.show(around.mesh(), true)
    now.invalidate()
  }

  /** One change that is only tried, as while a ring is drawn. */
  const trials = useTrials(
    (wanted: Wanted) => {
      const { clip, frame } = around.shown()
      const body = { side: 'target' as const, mirror: false, ...wanted, show_clip_id: clip, show_frame: frame }
      return answer(client.POST('/api/fittings/{fitting_id}/stance/trial', { ...path(), body }))
    },
    (made) => {
      tried.value = made.stance
      pose(made.pose)
      take(decodeFloats(made.standing), true)
      stage.value?.draw()
    },
    useMessages().fail,
  )
  function pose(text: string | null | undefined) {
    const figure = stage.value?.figure('character')
    if (!text || !figure) return
    const { rotations, translations } = decodePose(text, figure.joints.length)
    figure.take(rotations, translations)
  }
  /** The trial is over, and looking at the stance before: what is kept is shown again. */
  function settle() {
    trials.settle()
    comparing.value = false
    tried.value = null
  }
  /** Look at the stance before the last change to one, as long as it is asked for. */
  async function compare(on: boolean) {
    if (comparing.value === on || !fitting.value) return
    comparing.value = on
    const { blocks } = await fetchArrays(`/api/fittings/${fitting.value.id}/standing?before=${on}`).catch(
      (problem) => (useMessages().fail(problem), { blocks: [] }),
    )
    if (blocks.length && comparing.value === on) take(join(blocks.map((block) => block.values)), on)
  }
  async function loadOffers() {
    if (fitting.value)
      offers.value = await answer(client.GET('/api/fittings/{fitting_id}/offers', path())).catch(
        (problem) => (useMessages().fail(problem), null),
      )
  }

  /** Feathers on all four: those of the clip need to know how the source's bones are turned in it. */
  async function feather() {
    const [now, module] = [stage.value, around.module()]
    if (!now || !module) return
    for (const key of ['source', 'character', KEYS.source, KEYS.target]) now.removeFeathers(key)
    const clip = around.shown().clip
    if (
      !rollMarkers.value ||
      !local ||
      clip === undefined ||
      !trees.source.value ||
      !trees.target.value ||
      !around.character.value
    )
      return
    const counts = { source: trees.source.value.names.length, target: trees.target.value.names.length }
    turns.value = (await fetchArrays(`/api/library/clips/${clip}/turns`)).blocks[0].values
    if (stage.value !== now || !rollMarkers.value) return
    const size = around.character.value.height
    for (const [key, which, still] of [
      ['source', 'source', false],
      ['character', 'target', false],
      [KEYS.source, 'source', true],
      [KEYS.target, 'target', true],
    ] as const) {
      const tree = now.figure(key)?.boneLines.tree ?? now.source(key)?.tree
      if (!tree) continue
      now.addRollMarkers(key, new module.RollMarkers(tree, now.palette, size, which === 'target' || still), () => {
        if (!local) return null
        if (which === 'target') return module.turned(local.target, now.figure(key)!.worldTurns(), counts.target)
        if (!still)
          return module.turned(local.source, turns.value!, counts.source, false, now.frame * counts.source * 4)
        return standing.value ? overlaid(standing.value.source.marks) : null
      })
    }
  }
  /** Vectors of the source's stance as it is laid over the character. */
  function overlaid(vectors: Float32Array): Float32Array {
    const out = new Float32Array(vectors.length)
    for (let n = 0; n < vectors.length; n += 3)
      scratch.fromArray(vectors, n).applyAxisAngle(UP, facing(fitting.value!)).toArray(out, n)
    return out
  }
  /** Where a bone of a stance is, where it points, and where it bends to, all as they stand on the stage. */
  function boneAt(which: Which, bone: string): BonePose | null {
    const [now, tree, found, fit] = [stage.value, trees[which].value, standing.value, fitting.value]
    const joint = tree?.names.indexOf(bone) ?? -1
    if (!now || !tree || !found || !fit || joint < 0) return null
    const position = jointPosition(now, KEYS[which], joint)
    const isOf = (row: StanceRow) =>
      which === 'target'
        ? row.bone === bone
        : fit.pairs.some((pair) => pair.part === row.part && pair.source[0] === bone)
    const row = rows.value.find(isOf)
    const direction = new Vector3(...((row && (which === 'target' ? row.way : row.wanted)) ?? []))
    if (direction.length() < 0.5) direction.copy(directionInTree(now, which, tree, joint))
    const bend = new Vector3().fromArray(found[which].marks, joint * 3)
    if (which === 'source') bend.applyAxisAngle(UP, facing(fit))
    return { position, direction, bend }
  }
  /** From a joint to its first child; a leaf points on as its parent does, and a joint alone points up. */
  function directionInTree(now: Stage, which: Which, tree: Bones, joint: number): Vector3 {
    const child = tree.parents.indexOf(joint)
    const parent = tree.parents[joint]
    if (child < 0 && parent < 0) return UP
    const [from, to] = child >= 0 ? [joint, child] : [parent, joint]
    return jointPosition(now, KEYS[which], to).sub(jointPosition(now, KEYS[which], from))
  }

  watch(rollMarkers, () => void feather())
  watch(view, reveal)
  return {
    view,
    rollMarkers,
    comparing,
    chosen,
    axes,
    snap,
    standing,
    offers,
    rows,
    forward,
    moved,
    show,
    take,
    lay,
    reveal,
    attempt: trials.attempt,
    settle,
    compare,
    loadOffers,
    feather,
    boneAt,
  }
}
export type Stances = ReturnType<typeof useStances>
