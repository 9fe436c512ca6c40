import { shallowRef, type Ref, type ShallowRef } from 'vue'

import { fetchNodeMotion, fetchPositions } from '@/api/motion'
import type { Compared } from '@/shared/player/useMotionStudy'
import type { Positions } from '@/stage/motion'
import type { Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { treeFor, type StageModule } from './figures'
import { busiest } from './standing'
import type { useRibbonRows } from './useRibbonRows'
import type { Fitting, Pair } from './weave'

type Ribbon = ReturnType<typeof useRibbonRows>

/** The chosen clip on the stage and in the ribbon: the source's positions and the live transfer. */
export function useClipMotion(around: {
  stage: ShallowRef<ReturnType<StageModule['openStage']> | undefined>
  module: () => StageModule | undefined
  fitting: Ref<Fitting | null>
  fittingId: number
  clip: Ref<{ id: number; skeleton_id: number } | undefined>
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
  frame: Ref<number>
  frames: Ref<number>
  fps: Ref<number>
  playing: Ref<boolean>
  /** Whether a clip begins at its start rather than where most happens. */
  fromStart: () => boolean
  go: (frame: number) => void
  ribbon: Pick<Ribbon, 'drawRows' | 'drawFigure'>
  place: (look: boolean) => void
  showFrame: (frame: number) => void
  /** The character has other motion. */
  moved: () => void
}) {
  const { stage, clip, frame, frames, fps, playing, go, place, trees } = around
  const library = useLibrary()
  const source = shallowRef<Positions | null>(null)
  let fetching: AbortController | undefined

  /** again: for another clip, which begins at its frame, and is looked at. at: at another frame than that. */
  async function load(again: boolean, at: number | null = null) {
    const [now, module, row] = [stage.value, around.module(), clip.value]
    if (!now || !module || !row || !around.fitting.value || !trees.source.value || !trees.target.value) return
    stop()
    const { signal } = (fetching = new AbortController())
    try {
      const [positions, transferred] = await Promise.all([
        fetchPositions(`/api/library/clips/${row.id}/positions`, signal),
        fetchNodeMotion(`/api/fittings/${around.fittingId}/preview/${row.id}`, signal),
      ])
      if (stage.value !== now) return
      const tree = treeFor(module, trees.source.value)
      const size = library.skeletons.find((body) => body.id === row.skeleton_id)?.height ?? 1.7
      now.addSource('source', new module.BoneLines(tree, now.palette, size), positions)
      now.figure('character')?.play(transferred)
      source.value = positions
      frames.value = positions.frames
      fps.value = positions.fps
      if (again && at !== null) go(at)
      else if (again) go(history.state.play || around.fromStart() ? 0 : busiest(positions, trees.source.value))
      around.ribbon.drawRows(positions.frames, tree, positions)
      now.setFrame(frame.value)
      place(again)
      around.moved()
      if (again && history.state.play) {
        // Whoever asked to see it performed sees it move; a reload or a link stands still.
        history.replaceState({ ...history.state, play: false }, '')
        playing.value = !matchMedia('(prefers-reduced-motion: reduce)').matches
      }
    } catch (problem) {
      useMessages().fail(problem)
    }
  }
  /** The transfer alone, after a change: the source is as it was. */
  async function loadTarget() {
    const [now, row] = [stage.value, clip.value]
    if (!now || !row) return
    stop()
    fetching = new AbortController()
    const transferred = await fetchNodeMotion(`/api/fittings/${around.fittingId}/preview/${row.id}`, fetching.signal)
    const figure = now.figure('character')
    if (stage.value !== now || !figure || clip.value?.id !== row.id) return
    figure.play(transferred)
    around.ribbon.drawFigure()
    around.showFrame(frame.value)
    around.moved()
  }
  /** What a bone of the character follows, as its pair says. */
  function compared(pair: Pair | undefined): Compared | null {
    const tree = trees.source.value
    const bone = tree && pair?.source.length ? tree.names.indexOf(pair.source.at(-1)!) : -1
    // Ends of bones stand behind the joints among the points.
    return source.value && tree && bone >= 0 ? { positions: source.value, bone, parents: tree.parents } : null
  }
  const stop = () => fetching?.abort()

  return { load, loadTarget, stop, compared }
}
