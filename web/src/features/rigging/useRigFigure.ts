import { computed, ref, shallowRef, watch, type Ref } from 'vue'

import { Refused, type Schemas } from '@/api/client'
import { fetchNodeMotion } from '@/api/motion'
import { useLatest } from '@/shared/useLatest'
import type { WeightColours } from '@/stage'
import type { NodeMotion } from '@/stage/motion'
import type { Stage } from '@/stage/stage'
import { useMessages } from '@/stores/messages'
import { GivenUp } from './useBinding'
import { widthsOf, type Definition, type RigRow } from './rigs'

type Binding = Schemas['RigBinding']

/** The figure with the bones that are decided on, on a stage: bound anew whenever they change. */
export function useRigFigure(
  canvas: Ref<HTMLCanvasElement | undefined>,
  row: Ref<RigRow | null>,
  bind: () => Promise<Binding>,
) {
  const messages = useMessages()
  const stage = shallowRef<Stage>()
  const binding = shallowRef<Binding | null>(null)
  const loading = ref('')
  const frames = ref(1)
  const fps = ref(30)
  /** The bone whose weights are seen as colours; null for the figure as it is painted. */
  const coloured = ref<string | null>(null)
  /** The clip of the library that is performed; null for the test postures. */
  const clip = ref<number | null>(null)
  let module: typeof import('@/stage') | undefined
  let colours: WeightColours | undefined
  let shown = ''
  const latest = useLatest()
  const path = computed(() => `/api/rigs/${row.value?.character_id}`)

  async function motion(): Promise<NodeMotion & { fps: number }> {
    return fetchNodeMotion(`${path.value}/motion${clip.value === null ? '' : `?clip=${clip.value}`}`)
  }
  /** How the mesh is bound, for who does not look at the figure. */
  const latestBinding = useLatest()
  async function inspect() {
    const now = row.value
    if (!now || shown === keyOf(now)) return
    // What is wrong is said where the figure is looked at.
    await latestBinding(bind, (found) => (binding.value = found)).catch(() => undefined)
  }
  const keyOf = (now: RigRow) => `${now.character_id} ${now.lock_version}`
  /** Bind and show the figure as it is decided now. */
  async function open() {
    const now = row.value
    if (!now || !canvas.value) return
    const key = keyOf(now)
    if (shown === key && stage.value) return
    loading.value = 'Binding the mesh to its bones …'
    try {
      await latest(
        async () => {
          module ??= await import('@/stage')
          // First what is wrong with it: the others ask for the same binding, which is made once.
          const found = await bind()
          if (!row.value || keyOf(row.value) !== key) throw new GivenUp() // it is opened anew
          const [figure, moves] = await Promise.all([fetch(`${path.value}/figure?v=${now.lock_version}`), motion()])
          if (!figure.ok) throw new Refused(`${now.name}: it could not be bound; look at its landmarks.`)
          return { found, moves, data: await figure.arrayBuffer() }
        },
        async ({ found, moves, data }) => {
          if (!canvas.value || !module) return
          const mine = (stage.value ??= module.openStage(canvas.value))
          const first = !mine.figure('figure')
          const tree = module.treeOf(found.parents, found.names, [])
          const { unit, turn, low, high } = now.facts
          const height = high[1] - low[1]
          const figure = await module.Figure.read(data, found.nodes, tree, { unit, turn }, mine.palette, height)
          if (stage.value !== mine) return figure.dispose()
          colours?.dispose()
          colours = new module.WeightColours(figure, mine.palette)
          mine.add('figure', figure)
          binding.value = found
          play(moves)
          colour()
          if (first) whole()
          shown = key
        },
      )
    } catch (problem) {
      if (!(problem instanceof GivenUp)) messages.fail(problem)
    } finally {
      if (row.value && keyOf(row.value) === key) loading.value = ''
    }
  }
  function play(moves: NodeMotion & { fps: number }) {
    frames.value = moves.frames
    fps.value = moves.fps
    stage.value?.figure('figure')?.play(moves)
    stage.value?.setFrame(Math.min(stage.value.frame, moves.frames - 1))
  }
  /** The whole figure, from before it and a little to its left. */
  function whole() {
    if (!row.value) return
    const { low, high } = row.value.facts
    const definition = row.value.definition as Definition
    const { ahead } = definition
    const from = (Math.atan2(ahead[0], ahead[2]) * 180) / Math.PI + 24
    const height = high[1] - low[1]
    // Seen from ahead and aside, a long body comes nearer than its middle.
    const deep = Math.max(height, widthsOf(definition).side)
    const seen = deep + 0.15 * height
    const aim = (0.5 * height) / seen
    stage.value?.frameBox((low[0] + high[0]) / 2, (low[2] + high[2]) / 2, deep * 1.1, seen, from, 8, aim)
  }
  const latestMotion = useLatest()
  watch(clip, () => {
    if (stage.value) void latestMotion(motion, play).catch(messages.fail)
  })
  function colour() {
    const joint = coloured.value === null ? -1 : (binding.value?.names.indexOf(coloured.value) ?? -1)
    colours?.show(joint < 0 ? null : joint)
    stage.value?.figure('figure')?.boneLines.select(joint < 0 ? [] : [joint])
    stage.value?.invalidate()
  }
  watch(coloured, colour)
  function close() {
    colours?.dispose()
    stage.value?.dispose()
    colours = stage.value = undefined
    shown = ''
  }
  /** The point of the surface under a point of the window, where it lies at rest. */
  function pointAt(clientX: number, clientY: number) {
    const ray = stage.value?.ray(clientX, clientY)
    return ray ? (colours?.pointOn(ray)?.toArray() ?? null) : null
  }
  return { stage, binding, loading, frames, fps, coloured, clip, open, inspect, close, whole, pointAt }
}
