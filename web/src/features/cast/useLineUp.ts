import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch, type Ref } from 'vue'
import { useTheme } from 'vuetify'

import { answer, client, Refused } from '@/api/client'
import { loadFigure, loadWaiting, type StageModule } from '@/features/fitting/figures'
import { lengthText } from '@/shared/units'
import type { Stage } from '@/stage/stage'
import { useCast, type Character } from '@/stores/cast'
import { useIntake, type IntakeFile } from '@/stores/intake'
import { useMessages } from '@/stores/messages'
import { waitingName } from './sheet'

type Figure = Awaited<ReturnType<typeof loadFigure>>
/** Somebody in the line-up: a character of the cast, or a file that waits for a decision. */
interface Standing {
  key: string
  /** Changes whenever the figure has to be fetched again. */
  version: string
  name: string
  height: number
  bounds: number[][]
  waiting: boolean
  load: (now: Stage) => Promise<Figure | null>
}
interface Label {
  key: string
  name: string
  height: string
  x: number
  y: number
  waiting: boolean
  /** Why nothing stands above the name. */
  problem: string
}

const GAP = 0.28
const AT_ONCE = 2 // figures on their way
const LABEL = 46 // pixels: as high as a name with its height beneath
export const keyOf = (character: Character) => `character ${character.id}`
export const waitingKeyOf = (file: IntakeFile) => `waiting ${file.id}`

/** Everybody side by side and to scale: the cast, then the files that wait. chosen: whose bones are pointed at. */
export function useLineUp(canvas: Ref<HTMLCanvasElement | undefined>, chosen: Ref<Character | null>) {
  const cast = useCast()
  const intake = useIntake()
  const messages = useMessages()
  const theme = useTheme()
  const stage = shallowRef<Stage>()
  const mesh = ref(true)
  const bones = ref(false)
  const loading = ref(false)
  const pointed = ref<number | null>(null)
  const labels = shallowRef<Label[]>([])
  /** Sentences about figures that cannot be shown, by key; they keep their place and take nobody with them. */
  const problems = new Map<string, string>()
  let module: StageModule | undefined
  let rule: InstanceType<StageModule['HeightRule']> | undefined
  let standing: Standing[] = []
  /** Which version of whom is on the stage, and where everybody has a place. */
  const shown = new Map<string, string>()
  const places = new Map<string, number>()
  let turn = 0
  let size = { width: 2, top: 2 }
  let framedCount = 0
  let cameraTaken = false

  const files = computed(() => intake.characters.filter((file) => file.state === 'ready'))
  /** Changes whenever somebody comes, goes, looks otherwise, or is called otherwise. */
  const crowd = computed(() =>
    [
      ...cast.present.map((character) => `${keyOf(character)}.${character.revision}.${character.name}`),
      ...files.value.map((file) => `${waitingKeyOf(file)}.${JSON.stringify(file.told)}`),
    ].join(),
  )

  async function lineUp() {
    if (!canvas.value || !crowd.value) return
    const own = ++turn
    module ??= await import('@/stage')
    if (!canvas.value || own !== turn) return
    const now = (stage.value ??= openStage(module))
    loading.value = true
    const waiting = await Promise.all(files.value.map(fromIntake))
    if (own !== turn) return
    const bodies = [...cast.present.map(fromCast), ...waiting.filter((body) => body !== null)]
    arrange(now, bodies)
    const missing = bodies.filter(({ key, version }) => shown.get(key) !== version)
    // In their order, the first by itself: on a slow line somebody is there early instead of everybody late.
    const bringNext = async () => {
      const body = missing.shift()
      if (body && own === turn) await bring(now, body, own)
    }
    await bringNext()
    const bringAll = async () => {
      while (missing.length && own === turn) await bringNext()
    }
    await Promise.all(Array.from({ length: AT_ONCE }, bringAll))
    if (own === turn) loading.value = false
  }
  function openStage({ openStage }: StageModule) {
    const now = openStage(canvas.value!)
    now.controls.addEventListener('start', () => (cameraTaken = true))
    // A sheet that opens or closes leaves the stage another size.
    now.afterResizing(frameAll)
    return now
  }
  const fromCast = (character: Character): Standing => ({
    key: keyOf(character),
    version: `${character.revision}`,
    name: character.name,
    height: character.height,
    bounds: character.bounds,
    waiting: false,
    load: (now) => loadFigure(module!, now.palette, character),
  })
  async function fromIntake(file: IntakeFile): Promise<Standing | null> {
    const path = { params: { path: { file_id: file.id } } }
    try {
      const about = await answer(client.GET('/api/intake/files/{file_id}/figure', path))
      return (
        about && {
          key: waitingKeyOf(file),
          version: JSON.stringify(file.told),
          name: waitingName(file),
          height: about.height,
          bounds: about.bounds,
          waiting: true,
          load: (now) => loadWaiting(module!, now.palette, file.id, about),
        }
      )
    } catch (problem) {
      messages.fail(problem)
      return null
    }
  }
  /** A body's figure, at the place that is kept for it. */
  async function bring(now: Stage, body: Standing, own: number) {
    try {
      const figure = await body.load(now)
      if (own !== turn) return figure?.dispose()
      if (figure) now.add(body.key, figure)
      shown.set(body.key, body.version)
      problems.delete(body.key)
    } catch (problem) {
      if (own !== turn) return
      problems.set(body.key, problem instanceof Refused ? problem.message : 'It cannot be shown here.')
      if (!(problem instanceof Refused)) console.error(problem)
      now.remove(body.key)
    }
    now.moveTo(body.key, places.get(body.key) ?? 0, 0)
    dress()
  }
  /** A place for everybody, with the rule behind them, before their figures are there. */
  function arrange(now: Stage, bodies: Standing[]) {
    const keys = new Set(bodies.map((body) => body.key))
    for (const { key } of standing) {
      if (keys.has(key)) continue
      now.remove(key)
      shown.delete(key)
      problems.delete(key)
    }
    standing = bodies
    if (!standing.length) return
    let x = 0
    places.clear()
    for (const { key, bounds } of standing) {
      const [low, high] = bounds
      places.set(key, x - low[0])
      now.moveTo(key, x - low[0], 0)
      x += high[0] - low[0] + GAP
    }
    const width = Math.max(x - GAP, 0.6)
    const top = Math.max(...standing.map((body) => body.height))
    rule?.dispose()
    rule = new module!.HeightRule(now.palette, -0.3, width + 0.25, -0.7, Math.ceil(top * 2 + 0.3) / 2)
    now.addObject(rule.object)
    now.floor.compassAt(width + 0.05, 0.05)
    now.afterDrawing(placeLabels)
    size = { width, top }
    if (framedCount !== standing.length) frameAll()
    framedCount = standing.length
    dress()
  }
  /** Everybody in sight, unless the person has taken the camera: who looks closely at somebody is not torn away. */
  function frameAll() {
    const { width, top } = size
    if (!cameraTaken) stage.value?.frameBox(width / 2, 0, Math.max(width + 0.5, 2.2), top + 0.35, 10, 7, 0.42)
  }
  function placeLabels() {
    const now = stage.value
    if (!now) return
    let x = 0
    const lowest = (canvas.value?.clientHeight ?? Infinity) - LABEL
    labels.value = standing.map((body) => {
      const [low, high] = body.bounds
      const at = now.project({ x: x + (high[0] - low[0]) / 2, y: 0, z: 0.45 })
      x += high[0] - low[0] + GAP
      return {
        key: body.key,
        name: body.name,
        height: lengthText(body.height, 0),
        x: at.x,
        y: Math.min(at.y, lowest),
        waiting: body.waiting,
        problem: problems.get(body.key) ?? '',
      }
    })
  }
  /** Mesh and bones as asked for; of who is chosen, the bone that is pointed at. */
  function dress() {
    const lit = chosen.value ? keyOf(chosen.value) : ''
    for (const { key } of standing) {
      const figure = stage.value?.figure(key)
      const isPointedAt = key === lit && pointed.value !== null
      figure?.boneLines.select(isPointedAt ? [pointed.value!] : [])
      figure?.show(mesh.value, bones.value || isPointedAt)
    }
    stage.value?.invalidate()
  }
  /** The chosen figure with a joint bent, to see how far it may go; at rest again when nobody looks. */
  function bend(rotations: Float32Array | null, translations: Float32Array | null) {
    const figure = chosen.value && stage.value?.figure(keyOf(chosen.value))
    if (!figure) return
    if (rotations && translations) figure.take(rotations, translations)
    else figure.play(null)
    stage.value?.invalidate()
  }
  function close() {
    turn++
    rule?.dispose()
    rule = undefined
    stage.value?.dispose()
    stage.value = undefined
    standing = []
    shown.clear()
    framedCount = 0
    cameraTaken = false
  }

  watch([mesh, bones, pointed], dress)
  watch(crowd, lineUp, { flush: 'post' })
  watch(
    () => theme.global.name.value,
    () => {
      close()
      void lineUp()
    },
    { flush: 'post' },
  )
  onMounted(() => void lineUp())
  onBeforeUnmount(close)
  return { stage, mesh, bones, loading, pointed, labels, crowd, bend }
}
