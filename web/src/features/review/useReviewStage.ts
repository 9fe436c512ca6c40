import { ref, shallowRef, type Ref } from 'vue'

import { fetchNodeMotion, fetchPositions } from '@/api/motion'
import { loadFigure, treeFor, type StageModule } from '@/features/fitting/figures'
import { useRibbonRows } from '@/features/fitting/useRibbonRows'
import { spacedFrames } from '@/shared/player/spacedFrames'
import type { Stage } from '@/stage/stage'
import { useCast, type Bones, type Character } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import type { Rendition } from '@/stores/renditions'
import { arrange, extent, type Standing } from './arrange'

/** What a result is looked at beside: its source, another result of the same cell, or the whole cast in a row. */
export type Against = 'source' | 'cast' | number

const sample = (frames: number) => spacedFrames(frames, 12)

/** The stage of the review: one camera on the source and a result, on two results, or on all who perform the clip. */
export function useReviewStage(canvas: Ref<HTMLCanvasElement | undefined>) {
  const cast = useCast()
  const library = useLibrary()
  const stage = shallowRef<Stage>()
  const bones = shallowRef<Bones | null>(null)
  const ribbon = useRibbonRows(stage, bones)
  const frames = ref(1)
  const fps = ref(30)
  const loading = ref('')
  let module: StageModule | undefined
  let shown = 0
  let bodies: Standing[] = []
  const onStage = new Map<string, string>()

  async function open() {
    module ??= await import('@/stage')
    if (!canvas.value) return
    onStage.clear()
    stage.value = module.openStage(canvas.value)
  }
  function close() {
    shown += 1
    stage.value?.dispose()
    stage.value = undefined
  }
  /** A figure under a key, kept where it is the right one already; none where it is no longer asked for. */
  async function figure(key: string, character: Character, bare: boolean) {
    const [now, own] = [stage.value, shown]
    if (!now) return
    const want = `${character.id}.${character.revision}`
    if (onStage.get(key) !== want) {
      loading.value = `Fetching ${character.name} …`
      const made = await loadFigure(module!, now.palette, character)
      if (stage.value !== now || own !== shown) return made.dispose()
      if (bare) made.bare()
      now.add(key, made)
      onStage.set(key, want)
    }
    return now.figure(key)
  }
  const hips = (tree: Bones) => Math.max(0, tree.parts.indexOf('hips'))
  async function perform(key: string, character: Character, path: string, bare = false): Promise<Standing | null> {
    const own = shown
    const [tree, motion] = await Promise.all([cast.skeleton(character.skeleton_id), fetchNodeMotion(path)])
    const made = own === shown ? await figure(key, character, bare) : undefined
    if (!made || !stage.value || own !== shown) return null
    made.play(motion)
    stage.value.moveTo(key, 0, 0)
    const poses = sample(motion.frames).map((at) => {
      made.pose(at)
      return made.boneLines.positions.slice()
    })
    frames.value = motion.frames
    fps.value = motion.fps
    return { key, root: hips(tree), ...extent(poses, hips(tree)) }
  }

  /**
   * Put a result on the stage with what it is compared with. others: all results of its clip, for the row. Returns
   * whether it stands there: not where something else was asked for meanwhile.
   */
  async function show(row: Rendition, against: Against, others: Rendition[], frame: () => number, beside: boolean) {
    const now = stage.value
    const clip = library.clip(row.clip_id ?? 0)
    const character = cast.character(row.character_id ?? 0)
    if (!now || !module || !clip || !character || !row.newest) return false
    const own = ++shown
    const [source, positions] = await Promise.all([
      cast.skeleton(clip.skeleton_id),
      fetchPositions(`/api/library/clips/${clip.id}/positions`),
    ])
    const performing = await cast.skeleton(character.skeleton_id)
    if (own !== shown || stage.value !== now) return false
    bones.value = performing
    const { frames: count, points } = positions
    const tree = treeFor(module, source)
    const size = library.skeletons.find((body) => body.id === clip.skeleton_id)?.height ?? 1.7
    const found: (Standing | null)[] = []
    const wanted = new Set(['character'])
    if (against === 'source' || against === 'cast') {
      now.addSource('source', new module.BoneLines(tree, now.palette, size), positions)
      wanted.add('source')
      const poses = sample(count).map((at) => positions.values.slice(at * points * 3, (at + 1) * points * 3))
      found.push({ key: 'source', root: hips(source), ...extent(poses, hips(source)) })
    } else {
      wanted.add('other')
      found.push(await perform('other', character, `/api/renditions/${row.id}/motion?revision=${against}`, true))
    }
    if (own !== shown) return false
    found.push(await perform('character', character, `/api/renditions/${row.id}/motion`))
    if (against === 'cast')
      for (const other of others.filter((another) => another.id !== row.id)) {
        const who = cast.character(other.character_id ?? 0)
        if (own !== shown || !who) continue
        wanted.add(`cast ${who.id}`)
        found.push(await perform(`cast ${who.id}`, who, `/api/renditions/${other.id}/motion`).catch(() => null))
      }
    if (own !== shown || stage.value !== now) return false
    loading.value = ''
    for (const key of [...onStage.keys(), 'source'])
      if (!wanted.has(key)) {
        now.remove(key)
        onStage.delete(key)
      }
    frames.value = count
    bodies = found.filter((body): body is Standing => !!body)
    ribbon.drawRows(count, tree, positions)
    now.setFrame(Math.min(frame(), count - 1))
    place(beside, true)
    return true
  }
  function place(beside: boolean, look: boolean) {
    if (stage.value) arrange(stage.value, bodies, beside, look)
  }
  function dress(mesh: boolean, drawn: boolean) {
    for (const { key } of bodies) stage.value?.figure(key)?.show(mesh, drawn || !mesh)
    stage.value?.invalidate()
  }
  return {
    stage,
    module: () => module,
    bones,
    frames,
    fps,
    loading,
    rows: ribbon.rows,
    shown: ribbon.shown,
    open,
    close,
    show,
    place,
    dress,
  }
}
