import { nextTick, onScopeDispose, watch, type Ref } from 'vue'
import type { LocationQuery } from 'vue-router'
import { useTheme } from 'vuetify'

import { Gone } from '@/api/client'
import type { Finding } from '@/features/touchups/touchups'
import type { TouchUps } from '@/features/touchups/useTouchUps'
import type { useKeptCamera } from '@/shared/player/useKeptCamera'
import { useCast, type Bones, type Character } from '@/stores/cast'
import { useConnection } from '@/stores/connection'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import type { Rendition } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'
import type { Leaf } from './leaves'
import type { useClipMotion } from './useClipMotion'
import type { BoneOf } from './useHighlights'
import type { useSettling } from './useSettling'
import type { Stances } from './useStances'
import type { Fitting } from './weave'

const PAUSE = 1500 // milliseconds

/** How a fitting is opened, and what happens when another leaf or clip is chosen, or the theme changes. */
export function useLeafFlow(around: {
  leaf: Ref<Leaf>
  clip: Ref<{ id: number } | undefined>
  held: Ref<BoneOf | null>
  stances: Stances
  settling: ReturnType<typeof useSettling>
  touchups: TouchUps
  motion: ReturnType<typeof useClipMotion>
  place: (look: boolean) => void
  camera: ReturnType<typeof useKeptCamera>
  /** The frame that a link leads to, and the one in view. */
  asked: number | null
  frame: Ref<number>
  light: () => void
  onStage: { open: () => Promise<boolean>; close: () => void }
  fitting: Ref<Fitting | null>
  rendition: Ref<Rendition | null | undefined>
  /** Whether there is no such fitting any more. */
  lost: Ref<boolean>
  load: () => Promise<void>
  character: Ref<Character | undefined>
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
  /** Ask again what is known of the clip in view. */
  lookUp: () => Promise<unknown>
  askWhy: (clip?: number) => Promise<unknown>
}) {
  const { leaf, clip, stances, settling, touchups, motion, place } = around
  const messages = useMessages()
  const theme = useTheme()

  /** asked: of the address, a finding that somebody came to mend, by its kind and part. */
  async function open(asked: LocationQuery) {
    const { fitting, trees } = around
    const [library, cast] = [useLibrary(), useCast()]
    try {
      if (!library.loaded) await library.load()
      if (!cast.loaded) await cast.load()
      await around.load()
      ;[trees.source.value, trees.target.value] = await Promise.all([
        cast.skeleton(fitting.value!.skeleton_id),
        cast.skeleton(around.character.value!.skeleton_id),
      ])
      void useRuns().refresh()
      void around.askWhy(clip.value?.id)
      await around.lookUp()
      await nextTick()
      await openTheStage(around.asked)
      const findings = around.rendition.value?.newest?.findings ?? []
      const found = findings.find((row) => row.kind === asked.finding && row.part === asked.part)
      if (found) await touchUp(found)
    } catch (problem) {
      if (problem instanceof Gone && !fitting.value) around.lost.value = true
      else void messages.fail(problem)
    }
  }
  // What could not be opened is opened once it can be.
  useConnection().onReturn(() => !around.trees.target.value && open({}))
  /** Where a finding is, with what mends it. */
  function touchUp(finding: Finding) {
    leaf.value = 'touchup'
    return touchups.mend(finding)
  }
  /** Both bodies in their stances, and what they can be taken from. */
  async function toStances() {
    await Promise.all([stances.show(), stances.loadOffers()])
    place(!around.camera.isTurned())
    await stances.feather()
  }
  /** What is measured of the clip in view, as long as somebody looks at it; between touch-ups it can wait. */
  let waiting: ReturnType<typeof setTimeout> | undefined
  function measure() {
    clearTimeout(waiting)
    if (leaf.value === 'transfer') return settling.load()
    if (leaf.value === 'touchup') waiting = setTimeout(() => void settling.load(), PAUSE)
  }
  onScopeDispose(() => clearTimeout(waiting))
  /** What the leaf that is open shows of the clip. */
  const ofLeaf = () => Promise.all([measure(), touchups.load()])
  /** frame: which one is seen first; where there is none, the one that the clip begins at. */
  async function openTheStage(frame: number | null) {
    if (!(await around.onStage.open())) return
    await motion.load(true, frame)
    if (leaf.value === 'stance') await toStances()
    else if (leaf.value === 'touchup') await touchups.load()
    around.camera.restore()
  }

  watch(leaf, (now, before) => {
    around.held.value = null
    if (before === 'touchup') touchups.leave()
    around.camera.forget()
    if (now === 'stance') return void toStances().catch(messages.fail)
    if (now === 'pair') return place(true)
    void ofLeaf()
      .catch(messages.fail)
      .finally(() => place(now === 'transfer' && !around.camera.isTurned()))
  })
  watch(
    () => clip.value?.id,
    (now, before) => {
      if (!now || !before) return
      around.camera.forget()
      void around.askWhy(now)
      void around.lookUp().catch(messages.fail)
      settling.forget()
      touchups.forget()
      void motion.load(true).then(stances.feather).then(ofLeaf)
    },
  )
  watch(touchups.chosen, around.light)
  watch(
    () => theme.global.name.value,
    async () => {
      around.onStage.close()
      await openTheStage(around.frame.value)
    },
    { flush: 'post' },
  )
  return { open, touchUp, ofLeaf }
}
