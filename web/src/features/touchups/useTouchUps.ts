import { computed, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'

import { answer, client } from '@/api/client'
import { decodePose, fetchPositions } from '@/api/motion'
import type { StageModule } from '@/features/fitting/figures'
import { axesOf, jointPosition, onGround, type Axes } from '@/features/fitting/stanceGeometry'
import type { Fitting } from '@/features/fitting/weave'
import { useLatest } from '@/shared/useLatest'
import { useTrials } from '@/shared/useTrials'
import type { Stage } from '@/stage/stage'
import type { Bones, Character } from '@/stores/cast'
import { useMessages } from '@/stores/messages'
import {
  frameOf,
  keyName,
  neighbourKey,
  WEIGHT,
  type Bone,
  type Finding,
  type KeyPath,
  type Layers,
  type Wanted,
} from './touchups'

const GHOST = 'untouched'
const TICK = 5 // frames

/** Touching up a clip in a fitting: its layers and keys, what is chosen of them, what is tried on the figure. */
export function useTouchUps(around: {
  fitting: Ref<Fitting | null>
  stage: ShallowRef<Stage | undefined>
  module: () => StageModule | undefined
  tree: Ref<Bones | null>
  character: Ref<Character | undefined>
  clip: () => number | undefined
  frame: Ref<number>
  go: (frame: number) => void
  change: (work: () => Promise<Fitting>) => Promise<void>
  active: () => boolean
}) {
  const { fitting, stage, tree, frame } = around
  const found = shallowRef<Layers | null>(null)
  const bones = shallowRef<Bone[]>([])
  const layerName = ref('')
  const chosen = ref('')
  const keys = shallowRef<KeyPath[]>([])
  const axes = ref<Axes>('own')
  const snap = ref(0)
  const against = ref('')
  const ghost = ref(true)
  const traced = ref(false)
  /** Whether the curve of the touch-up in hand is shown. */
  const graph = ref(false)
  const proposal = shallowRef<{ finding: Finding; sentence: string; edit: Wanted } | null>(null)
  const proposing = ref(false)
  /** Layers from a file, beside those that there are. */
  function takeFrom(file: File) {
    const form = new FormData()
    form.append('file', file)
    return around.change(async () => {
      const made = await answer(
        client.POST('/api/fittings/{fitting_id}/touchups/{clip_id}/file', {
          params: { ...path().params, query: { show: frame.value } },
          body: form as never,
          bodySerializer: (body) => body as never,
        }),
      )
      take(made.touchups)
      return made.fitting
    })
  }
  const layers = computed(() => found.value?.layers ?? [])
  const layer = computed(() => layers.value.find((row) => row.name === layerName.value) ?? layers.value[0])
  const bone = computed(() => bones.value.find((row) => row.bone === chosen.value))
  /** The touch-ups of the chosen bone in the chosen layer, with their numbers there. */
  const own = computed(() =>
    (layer.value?.touchups ?? [])
      .map((touchup, number) => ({ touchup, number }))
      .filter((row) => row.touchup.bone === chosen.value),
  )
  const path = () => ({ params: { path: { fitting_id: fitting.value!.id, clip_id: around.clip()! } } })
  const ready = () => !!fitting.value && around.clip() !== undefined
  const latest = useLatest()

  async function load() {
    if (!ready() || !around.active()) return
    await latest(
      () =>
        Promise.all([
          answer(client.GET('/api/fittings/{fitting_id}/touchups/{clip_id}', path())),
          bones.value.length
            ? bones.value
            : answer(client.GET('/api/fittings/{fitting_id}/touchups/{clip_id}/bones', path())),
        ]),
      ([rows, list]) => {
        bones.value = list
        take(rows)
      },
    )
    // What lies under the layers is as it was, whatever was changed of them.
    await Promise.all([ours && stage.value?.source(GHOST) ? undefined : drawGhost(), drawTrace()])
    ours = false
  }
  /** Whether the last change was one of the layers alone. */
  let ours = false
  function take(rows: Layers) {
    found.value = rows
    if (!rows.layers.some((row) => row.name === layerName.value)) layerName.value = rows.layers[0]?.name ?? ''
    keys.value = keys.value.filter((key) => frameOf(layer.value, key) !== undefined)
  }
  /** What is shown belongs to another clip, or to another state of the fitting. */
  function forget() {
    found.value = null
    keys.value = []
    proposal.value = null
  }
  const asked = (wanted: Wanted) => ({
    layer: layer.value?.name ?? null,
    ...wanted,
    show: frame.value,
  })
  /** Make a change; a step that can be undone. after: what is chosen then. */
  function edit(wanted: Wanted, after?: () => void) {
    settle()
    return around.change(async () => {
      const made = await answer(
        client.POST('/api/fittings/{fitting_id}/touchups/{clip_id}', { ...path(), body: asked(wanted) as never }),
      )
      take(made.touchups)
      ours = true
      after?.()
      return made.fitting
    })
  }

  function pose(text: string | null | undefined) {
    const figure = stage.value?.figure('character')
    if (!text || !figure) return
    const { rotations, translations } = decodePose(text, figure.joints.length)
    figure.take(rotations, translations)
    stage.value?.draw()
  }
  /** A change that is only tried, as while a ring is drawn. */
  const { attempt, settle } = useTrials(
    (wanted: Wanted) =>
      answer(
        client.POST('/api/fittings/{fitting_id}/touchups/{clip_id}/trial', { ...path(), body: asked(wanted) as never }),
      ),
    (made) => pose(made.pose),
    useMessages().fail,
  )
  /** The figure as it is kept, after a trial that came to nothing. */
  function letGo() {
    settle()
    proposal.value = null
    stage.value?.setFrame(frame.value)
  }

  const turn = (axis: number[], degrees: number): Wanted => ({
    op: 'turn',
    bone: chosen.value,
    frame: frame.value,
    axis,
    degrees,
  })
  const move = (by: number[]): Wanted => ({
    op: 'move',
    bone: chosen.value,
    frame: frame.value,
    by,
    against: against.value,
  })
  /** A key where the curve is already, to hold it there. */
  function setKey() {
    if (!bone.value) return useMessages().say('Choose a bone first: click its ring, or take it from the list.')
    const channels = own.value.length ? own.value.map((row) => row.touchup) : [null]
    for (const touchup of channels)
      void edit({
        op: 'key',
        bone: chosen.value,
        frame: frame.value,
        channel: touchup?.channel ?? 'rotation',
        against: touchup?.against ?? '',
      })
  }
  function ofKeys(wanted: Wanted, list = keys.value) {
    const own = list.filter(([n]) => n !== WEIGHT).map(([n, k]) => [n, k])
    // A weight has no other side, and no ways from key to key.
    const weights = ['mirror', 'interpolate'].includes(wanted.op)
      ? []
      : list.filter(([n]) => n === WEIGHT).map(([, k]) => k)
    return own.length || weights.length ? edit({ ...wanted, keys: own, weight_keys: weights }) : undefined
  }
  /** Choose a key, or one more, or no longer it; its bone is chosen with it. */
  function choose(key: KeyPath, more = false) {
    const others = keys.value.filter((other) => keyName(other) !== keyName(key))
    keys.value = more ? (others.length < keys.value.length ? others : [...others, key]) : [key]
    chosen.value = layer.value?.touchups[key[0]]?.bone ?? chosen.value
  }
  /** Choose several keys, beside those that are chosen or instead of them. */
  function chooseAll(list: KeyPath[], more = false) {
    const names = new Set(list.map(keyName))
    keys.value = more ? [...keys.value.filter((key) => !names.has(keyName(key))), ...list] : list
    chosen.value = layer.value?.touchups[list[0]?.[0]]?.bone ?? chosen.value
  }
  /** The first key of a layer under which the motion has changed, in its frame, with the limb as it was. */
  function toChanged(name: string) {
    layerName.value = name
    for (const [n, touchup] of (layer.value?.touchups ?? []).entries())
      for (const [k, key] of touchup.keys.entries())
        if (key.moved && key.frame !== null) {
          choose([n, k])
          return around.go(Math.round(key.frame))
        }
  }
  function toKey(direction: 1 | -1) {
    const next = layer.value && neighbourKey(layer.value, frame.value, direction)
    if (!next) return
    choose(next.path)
    around.go(Math.round(next.frame))
  }
  /** Go to where a finding is, with what would mend it chosen, and try the smallest offset that ends it. */
  async function mend(finding: Finding) {
    const at = finding.frames[0]
    around.go(at)
    if (!bones.value.length) await load()
    const limb = bones.value.filter((row) => row.limb === finding.part || row.part === finding.part)
    const side = finding.part.split(' ')[0]
    const foot = bones.value.find((row) => row.part === `${side} foot` || row.part === `${side} hand`)
    chosen.value = (limb.find((row) => row.moves === 'place') ?? limb[0] ?? foot ?? bone.value)?.bone ?? chosen.value
    proposing.value = true
    try {
      const body = { kind: finding.kind, part: finding.part, frame: at }
      const made = await answer(
        client.POST('/api/fittings/{fitting_id}/touchups/{clip_id}/proposal', { ...path(), body }),
      )
      if (!made) return
      if (made.edit.bone) chosen.value = made.edit.bone
      proposal.value = { finding, sentence: made.sentence, edit: made.edit as Wanted }
      pose(made.pose)
    } catch (problem) {
      useMessages().fail(problem)
    } finally {
      proposing.value = false
    }
  }
  function takeProposal() {
    const wanted = proposal.value
    proposal.value = null
    if (wanted) void edit({ ...wanted.edit, layer: layer.value?.name ?? null, show: frame.value })
  }

  /** Where the chosen bone is on the stage, and the axes that it is turned about. */
  function boneAt() {
    const [now, body] = [stage.value, tree.value]
    const joint = body?.names.indexOf(chosen.value) ?? -1
    if (!now?.figure('character') || !body || joint < 0) return null
    const at = (n: number) => jointPosition(now, 'character', n)
    const forward = onGround(fitting.value?.measures.target_facing ?? 0)
    const of = axes.value === 'parent' && body.parents[joint] >= 0 ? body.parents[joint] : joint
    const child = body.parents.indexOf(of)
    const [from, to] = child >= 0 ? [of, child] : [Math.max(0, body.parents[of]), of]
    const direction = at(to).sub(at(from))
    if (direction.length() < 1e-4) direction.set(0, 1, 0)
    const bend = forward.clone()
    return { position: at(joint), axes: axesOf(axes.value, { direction, bend }, forward) }
  }

  /** The figure without any layer, as a thin ghost. */
  async function drawGhost() {
    const [now, module, body] = [stage.value, around.module(), tree.value]
    if (!now || !module || !body) return
    if (!ghost.value || !around.active() || !ready()) return now.remove(GHOST)
    const positions = await fetchPositions(positionsOf(true))
    if (stage.value !== now || !ghost.value || !around.active()) return
    const size = around.character.value?.height ?? 1.7
    const drawn = module.treeOf(body.parents, body.parts, [])
    now.addSource(GHOST, new module.BoneLines(drawn, module.faint(now.palette), size), positions)
    const { x, z } = now.placeOf('character')
    now.moveTo(GHOST, x, z)
  }
  const positionsOf = (plain: boolean) =>
    `/api/fittings/${fitting.value!.id}/touchups/${around.clip()}/positions?plain=${plain}`

  /** The path of the chosen bone, with the layers and without them. */
  let trace: InstanceType<StageModule['Trace']> | undefined
  function clearTrace() {
    trace?.dispose()
    trace = undefined
    stage.value?.invalidate()
  }
  async function drawTrace() {
    const [now, module] = [stage.value, around.module()]
    clearTrace()
    const joint = tree.value?.names.indexOf(chosen.value) ?? -1
    if (!now || !module || !traced.value || !around.active() || joint < 0 || !ready()) return
    const [touched, plain] = await Promise.all([fetchPositions(positionsOf(false)), fetchPositions(positionsOf(true))])
    if (stage.value !== now || !traced.value) return
    clearTrace()
    trace = new module.Trace()
    trace.add(plain, joint, module.faint(now.palette).ink, TICK, 3)
    trace.add(touched, joint, now.palette.accent, TICK, 5)
    const { x, z } = now.placeOf('character')
    trace.object.position.set(x, 0, z)
    now.addObject(trace.object)
  }
  const quietly = (work: () => Promise<unknown>) => void work().catch(useMessages().fail)
  watch(ghost, () => quietly(drawGhost))
  watch([traced, chosen], () => quietly(drawTrace))
  /** Of the leaf that is left nothing stays on the stage. */
  function leave() {
    settle()
    proposal.value = null
    stage.value?.remove(GHOST)
    clearTrace()
  }

  return {
    found,
    layers,
    layer,
    layerName,
    bones,
    bone,
    chosen,
    own,
    keys,
    axes,
    snap,
    against,
    ghost,
    traced,
    graph,
    proposal,
    proposing,
    load,
    forget,
    leave,
    takeFrom,
    edit,
    attempt,
    settle,
    letGo,
    turn,
    move,
    setKey,
    ofKeys,
    choose,
    chooseAll,
    toKey,
    toChanged,
    mend,
    takeProposal,
    boneAt,
    drawGhost,
    drawTrace,
    path,
  }
}
export type TouchUps = ReturnType<typeof useTouchUps>
