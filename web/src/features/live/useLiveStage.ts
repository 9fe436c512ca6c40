import { useRafFn } from '@vueuse/core'
import { Vector3 } from 'three'
import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { useTheme } from 'vuetify'

import { Refused } from '@/api/client'
import { loadFigure, type StageModule } from '@/features/fitting/figures'
import type { Figure } from '@/stage/figure'
import type { Stage } from '@/stage/stage'
import { useCast, type Character } from '@/stores/cast'
import type { LiveFrame } from './liveMessages'
import { PoseBuffer } from './PoseBuffer'

const GAP = 0.5 // metres between two figures
const SETTLES = 0.12 // share of the way that the camera, and a figure on the spot, make good with each picture
const TOLD = 250 // milliseconds between two delays that are told
const SELDOM = 45 // milliseconds between two pictures, from which on frames are not bridged

interface Performing {
  figure: Figure
  revision: number
  hips: number
  buffer: PoseBuffer
  /** Where it stands in the row, and where its hips were at first, and are by and by. */
  slot: number
  first: Vector3 | null
  calm: Vector3
  age: number
}

/** The stage of characters that perform live: each takes the pose that is due with each picture. */
export function useLiveStage(
  canvas: Ref<HTMLCanvasElement | undefined>,
  characters: Ref<Character[]>,
  fps: Ref<number>,
  onTheSpot: Ref<boolean>,
  now: () => number,
) {
  const cast = useCast()
  const theme = useTheme()
  const stage = shallowRef<Stage>()
  const loading = ref('')
  const problem = ref('')
  /** By character, how many seconds ago the frame that is shown was captured. */
  const delays = shallowRef(new Map<number, number>())
  const performing = new Map<number, Performing>()
  const at = new Vector3()
  const middle = new Vector3()
  let module: StageModule | undefined
  let turn = 0
  let told = 0
  /** Milliseconds between two pictures. */
  let usual = 16

  function show(character: number, frame: LiveFrame) {
    performing.get(character)?.buffer.push(frame, now())
  }
  async function gather() {
    const own = ++turn
    module ??= await import('@/stage')
    if (own !== turn || !canvas.value) return
    const shown = (stage.value ??= module.openStage(canvas.value))
    for (const id of [...performing.keys()])
      if (!characters.value.some((character) => character.id === id)) {
        performing.delete(id)
        shown.remove(`character ${id}`)
      }
    for (const character of characters.value) {
      if (performing.get(character.id)?.revision === character.revision) continue
      loading.value = `Fetching ${character.name} …`
      try {
        const [figure, bones] = await Promise.all([
          loadFigure(module, shown.palette, character),
          cast.skeleton(character.skeleton_id),
        ])
        if (own !== turn || stage.value !== shown) return figure.dispose()
        shown.add(`character ${character.id}`, figure)
        performing.set(character.id, {
          figure,
          revision: character.revision,
          hips: Math.max(0, bones.parts.indexOf('hips')),
          buffer: bufferFor(figure),
          slot: 0,
          first: null,
          calm: new Vector3(),
          age: 0,
        })
        problem.value = ''
        lineUp()
        frameAll()
      } catch (failed) {
        problem.value = failed instanceof Refused ? failed.message : `${character.name} cannot be shown here.`
        if (!(failed instanceof Refused)) console.error(failed)
      }
    }
    loading.value = ''
  }
  const bufferFor = (figure: Figure) => new PoseBuffer(figure.joints.length, 1 / (fps.value || 60))
  /** Side by side, each with its own width; where somebody has moved to since counts no more. */
  function lineUp() {
    let x = 0
    for (const character of characters.value) {
      const own = performing.get(character.id)
      if (!own) continue
      const [low, high] = character.bounds
      own.slot = x - low[0]
      own.first = null
      x += high[0] - low[0] + GAP
      stage.value?.moveTo(`character ${character.id}`, own.slot, 0)
    }
  }
  function frameAll() {
    const present = characters.value.filter(({ id }) => performing.has(id))
    const heights = present.map(({ height }) => height)
    const width = present.reduce((sum, { bounds: [low, high] }) => sum + high[0] - low[0] + GAP, 0)
    const [x, z] = centre()
    stage.value?.frameBox(x, z, Math.max(width + 0.6, 2.4), Math.max(...heights, 1) + 0.5, 16, 9, 0.4)
    middle.set(x, 0, z)
    stage.value?.setFollowed(() => middle)
  }
  /** The middle of all, over the ground. */
  function centre(): [number, number] {
    const all = [...performing.values()]
    if (!all.length) return [0, 0]
    const sum = all.reduce(
      ([x, z], { calm, figure }) => [x + calm.x + figure.object.position.x, z + calm.z + figure.object.position.z],
      [0, 0],
    )
    return [sum[0] / all.length, sum[1] / all.length]
  }
  function put(id: number, own: Performing) {
    const pose = own.buffer.at(now(), usual > SELDOM)
    if (!pose) return
    own.age = pose.age
    const count = own.figure.joints.length * 4
    own.figure.take(pose.values.subarray(0, count), pose.values.subarray(count))
    own.figure.joints[own.hips].getWorldPosition(at).sub(own.figure.object.position)
    if (!own.first) {
      own.first = at.clone()
      own.calm.copy(at)
    }
    own.calm.lerp(at, SETTLES)
    const from = onTheSpot.value ? own.calm : own.first
    stage.value?.place(`character ${id}`, own.slot - from.x, -from.z, 0)
  }
  useRafFn(({ delta, timestamp }) => {
    if (!stage.value || !performing.size) return
    usual += (Math.min(delta, 1000) - usual) * 0.1
    const [x, z] = centre()
    middle.lerp(at.set(x, 0, z), SETTLES)
    for (const [id, own] of performing) put(id, own)
    if (timestamp - told > TOLD) {
      told = timestamp
      delays.value = new Map([...performing].filter(([, own]) => own.first).map(([id, own]) => [id, own.age]))
    }
  })
  function close() {
    turn++
    performing.clear()
    stage.value?.dispose()
    stage.value = undefined
  }
  watch(() => characters.value.map(({ id, revision }) => `${id}.${revision}`).join(), gather, { flush: 'post' })
  watch(fps, () => performing.forEach((own) => (own.buffer = bufferFor(own.figure))))
  watch(onTheSpot, lineUp)
  watch(
    () => theme.global.name.value,
    () => {
      close()
      void gather()
    },
    { flush: 'post' },
  )
  watch(canvas, () => void gather(), { flush: 'post' })
  onBeforeUnmount(close)
  return { stage, loading, problem, delays, show, frameAll }
}
