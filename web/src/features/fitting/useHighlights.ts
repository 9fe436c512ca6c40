import { computed, onScopeDispose, ref, type Ref, type ShallowRef } from 'vue'

import type { Stage } from '@/stage/stage'
import type { Bones } from '@/stores/cast'
import { lights, split } from './lights'
import { KEYS } from './useStances'
import type { Fitting, Pair, Which } from './weave'

export interface BoneOf {
  which: Which
  bone: string
}
const FADING = 2500

/** What is lit up on all figures: bones that are pointed at, held, chosen, or just changed. */
export function useHighlights(around: {
  fitting: Ref<Fitting | null>
  stage: ShallowRef<Stage | undefined>
  trees: { source: Ref<Bones | null>; target: Ref<Bones | null> }
  mesh: Ref<boolean>
  bones: Ref<boolean>
  /** The bone that is chosen in the leaf that is open. */
  chosen: () => BoneOf | null
  pairWith: (which: Which, bone: string) => Pair | undefined
  reveal: () => void
}) {
  const { fitting, stage, trees } = around
  const pointed = ref<string | null>(null)
  const held = ref<BoneOf | null>(null)
  const changed = ref<string[]>([])
  let fading: ReturnType<typeof setTimeout> | undefined
  onScopeDispose(() => clearTimeout(fading))

  /** What is pointed at, as keys: a bone and its pair, a pair, or a part. */
  const lit = computed(() => {
    const key = pointed.value
    if (!key) return []
    const [which, bone] = split(key)
    const own = which ? around.pairWith(which, bone) : undefined
    return own ? [key, own.key] : [key]
  })
  function light() {
    const now = stage.value
    const bothTrees = { source: trees.source.value, target: trees.target.value }
    const chosen = around.chosen() ?? held.value
    const { rings, large } = lights(fitting.value, bothTrees, lit.value, chosen ? [chosen] : [], changed.value)
    now?.source('source')?.select(rings.source, large.source)
    now?.source(KEYS.source)?.select(rings.source, large.source)
    now?.figure(KEYS.target)?.boneLines.select(rings.target, large.target)
    const figure = now?.figure('character')
    figure?.boneLines.select(rings.target, large.target)
    figure?.show(around.mesh.value, around.bones.value || pointed.value !== null || held.value !== null)
    around.reveal()
    now?.invalidate()
  }
  /** Pairs that are other than before are lit up for a while. */
  function lightChanges(before: Fitting) {
    const ends = (pair: Pair) => `${pair.source} ${pair.target}`
    const old = new Map(before.pairs.map((pair) => [pair.key, ends(pair)]))
    const pairs = fitting.value?.pairs ?? []
    changed.value = pairs.filter((pair) => old.get(pair.key) !== ends(pair)).map((pair) => pair.key)
    clearTimeout(fading)
    fading = setTimeout(() => {
      changed.value = []
      light()
    }, FADING)
  }
  return { pointed, held, changed, lit, light, lightChanges }
}
