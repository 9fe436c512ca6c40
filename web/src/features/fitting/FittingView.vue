<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import TouchUpLeaf from '@/features/touchups/TouchUpLeaf.vue'
import TouchUpOverlay from '@/features/touchups/TouchUpOverlay.vue'
import TouchUpTimes from '@/features/touchups/TouchUpTimes.vue'
import { useTouchUps } from '@/features/touchups/useTouchUps'
import { usePlayer } from '@/shared/player/player'
import MotionTimes from '@/shared/player/MotionTimes.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import { useFindingKeys } from '@/shared/player/useFindingKeys'
import { useMotionStudy } from '@/shared/player/useMotionStudy'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useRange } from '@/shared/player/useRange'
import { useCast, type Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import PairLeaf from './PairLeaf.vue'
import RenditionPanel from './RenditionPanel.vue'
import RingMenu from './RingMenu.vue'
import StanceLeaf from './StanceLeaf.vue'
import StanceOverlay from './StanceOverlay.vue'
import type { Wanted } from './stances'
import ContactStrips from './ContactStrips.vue'
import FittingBar from './FittingBar.vue'
import FittingPane from './FittingPane.vue'
import TransferLeaf from './TransferLeaf.vue'
import { useArrangement } from './useArrangement'
import { useBoneMenu } from './useBoneMenu'
import { useClipMotion } from './useClipMotion'
import { useDropOnFitting } from './useDropOnFitting'
import { useFitting } from './useFitting'
import { useFittingKeys } from './useFittingKeys'
import { useFittingStage } from './useFittingStage'
import { useHighlights } from './useHighlights'
import { useLeafFlow } from './useLeafFlow'
import { useLiveChange } from './useLiveChange'
import { useRendition } from './useRendition'
import { useRibbonRows } from './useRibbonRows'
import { useRings } from './useRings'
import { useSettling } from './useSettling'
import { useStances } from './useStances'
import { useViewOptions } from './useViewOptions'
import { useWayBack } from './useWayBack'
import type { Fitting } from './weave'

const route = useRoute()
const router = useRouter()
const library = useLibrary()
const cast = useCast()

const sourceBones = ref<Bones | null>(null)
const targetBones = ref<Bones | null>(null)
const lost = ref(false)
const mirror = ref(true)
const pair = ref<InstanceType<typeof PairLeaf>>()
const canvas = ref<HTMLCanvasElement>()
const frames = ref(1)
const fps = ref(30)
const range = useRange(frames, () => route.query.clip ?? '', route.query)
const player = usePlayer(frames, fps, range.played)
const { frame, playing, go } = player
const { leaf, asked, layout, mesh, bones } = useViewOptions(player, frames)

/** This view is made anew for another fitting, and may outlive its address by a request. */
const id = Number(route.params.id)
const { fitting, why, busy, load, edit, stand, takeFrom, undo, redo, askWhy, pairWith, run } = useFitting(
  () => id,
  () => ({ clip_id: clip.value?.id, frame: frame.value }),
  afterChange,
)
const clips = computed(() => library.present.filter((clip) => clip.skeleton_id === fitting.value?.skeleton_id))
const clip = computed(() => clips.value.find((row) => row.id === Number(route.query.clip)) ?? clips.value[0])
const character = computed(() => (fitting.value ? cast.character(fitting.value.character_id) : undefined))
const trees = { source: sourceBones, target: targetBones }
/** Once both are there. */
const bothTrees = computed(() => {
  const [source, target] = [sourceBones.value, targetBones.value]
  return source && target && { source, target }
})
const { stage, loading, module, ...fittingStage } = useFittingStage({ canvas, character, trees })
const { rows, shown, drawRows, drawFigure } = useRibbonRows(stage, targetBones)
const study = useMotionStudy({
  stage,
  module,
  bones: targetBones,
  frame,
  frames,
  fps,
  compared: (bone) => motion.compared(pairWith('target', bone)),
})
const { rendition, lookUp, transfer, stop } = useRendition(clip, character)
const stances = useStances({
  fitting,
  stage,
  character,
  module,
  trees,
  shown: () => ({ clip: clip.value?.id, frame: frame.value }),
  active: () => leaf.value === 'stance',
  beside: () => layout.value === 'beside',
  mesh: () => mesh.value,
})
const settling = useSettling({
  fitting,
  stage,
  shown: () => ({ clip_id: clip.value?.id, frame: frame.value }),
  change: run,
})
const touchups = useTouchUps({
  fitting,
  stage,
  module,
  tree: targetBones,
  character,
  clip: () => clip.value?.id,
  frame,
  go,
  change: run,
  active: () => leaf.value === 'touchup',
})
/** Of the state in view where it was measured, else of the rendition. */
const findings = computed(
  () =>
    (leaf.value === 'transfer' || leaf.value === 'touchup' ? settling.measures.value?.findings : undefined) ??
    rendition.value?.newest?.findings ??
    [],
)

const { pointed, held, changed, lit, light, lightChanges } = useHighlights({
  fitting,
  stage,
  trees,
  mesh,
  bones,
  chosen: () =>
    leaf.value === 'stance'
      ? stances.chosen.value
      : leaf.value === 'touchup' && touchups.chosen.value
        ? { which: 'target', bone: touchups.chosen.value }
        : null,
  pairWith,
  reveal: stances.reveal,
})
const { place, arrange, camera, lookAt, showFrame } = useArrangement({
  stage,
  fitting,
  character,
  trees,
  rows,
  stances,
  beside: () => layout.value === 'beside',
  inStances: () => leaf.value === 'stance',
  placed: () => (study.moved(), light()),
})

const live = useLiveChange({
  stage,
  fitting,
  playing,
  stances,
  settling,
  light,
  motion: () => motion,
  inStances: () => leaf.value === 'stance',
  follow: () => Promise.all([lookUp(), askWhy(clip.value?.id)]).then(flow.ofLeaf),
})
function afterChange(before: Fitting) {
  lightChanges(before)
  live.show()
}
const motion = useClipMotion({
  stage,
  fitting,
  clip,
  frame,
  frames,
  fps,
  playing,
  go,
  place: arrange,
  showFrame,
  module,
  fittingId: id,
  trees,
  fromStart: () => leaf.value !== 'pair',
  ribbon: { drawRows, drawFigure },
  moved: study.follow,
})
const {
  atPointer,
  press,
  hover,
  release,
  choose: pick,
} = useRings({
  canvas,
  stage,
  tree: (which) => (which === 'source' ? sourceBones.value : targetBones.value),
  part: (which, bone) => pairWith(which, bone)?.part ?? undefined,
  free: (ring) =>
    leaf.value === 'touchup'
      ? ring.which === 'target'
      : !held.value || ring.which !== held.value.which || ring.bone === held.value.bone,
  point: (key) => (pointed.value = key),
  menu: useBoneMenu({ leaf, study }),
  pick: (ring, add) => {
    if (leaf.value === 'stance') stances.chosen.value = { which: ring.which, bone: ring.bone }
    else if (leaf.value === 'touchup') touchups.chosen.value = ring.bone
    else pair.value?.take(ring.which, ring.bone, add)
  },
})

watch(frame, showFrame)
watch(layout, () => place(true))
watch([mesh, bones], () => place(false))
watch(stances.view, () => place(true))
watch(stances.chosen, light)
watch([pointed, held], light)
watch(() => (held.value?.which === 'target' ? held.value.bone : touchups.chosen.value), study.choose)
const flow = useLeafFlow({
  leaf,
  fitting,
  lost,
  load,
  character,
  trees,
  clip,
  held,
  stances,
  settling,
  touchups,
  motion,
  asked,
  frame,
  place: arrange,
  camera,
  light,
  onStage: fittingStage,
  rendition,
  lookUp,
  askWhy,
})
const standAs = (wanted: Wanted) => stand(wanted).then(() => (wanted.op === 'name' ? stances.loadOffers() : undefined))

const choose = (wanted: number) => router.replace({ query: { clip: wanted, leaf: route.query.leaf } })

const { review, back } = useWayBack(clip, frame)
const drop = useDropOnFitting(character)
useFindingKeys(findings, frame, go)
usePlayerKeys(player, frames, range.played)
useFittingKeys({ menu: atPointer, leaf, mesh, bones, layout, undo, redo, frameAll: () => place(true), back })
onMounted(() => void flow.open(route.query))
</script>

<template>
  <div v-if="lost" class="view">
    <div class="empty">
      <h1>This fitting is no longer there</h1>
      <v-btn to="/fittings">To the fittings</v-btn>
    </div>
  </div>
  <div v-else class="view" @dragover.prevent @drop="drop">
    <FittingPane v-model="leaf" :fitting="fitting" :busy="!!busy" @take="takeFrom" @undo="undo" @redo="redo">
      <template v-if="fitting && bothTrees">
        <PairLeaf
          v-if="leaf === 'pair'"
          ref="pair"
          v-model:mirror="mirror"
          v-model:held="held"
          :fitting="fitting"
          :source="bothTrees.source"
          :target="bothTrees.target"
          :character="character?.name ?? ''"
          :why="why"
          :pointed="lit"
          :changed="changed"
          @point="pointed = $event"
          @edit="edit"
          @group="lookAt"
        />
        <StanceLeaf
          v-else-if="leaf === 'stance'"
          v-model:mirror="mirror"
          :fitting="fitting"
          :stances="stances"
          :trees="bothTrees"
          :character="character?.name ?? ''"
          :clip="clip"
          :frame="frame"
          :frames="frames"
          :pointed="pointed"
          @point="pointed = $event"
          @stand="standAs"
        />
        <TouchUpLeaf
          v-else-if="leaf === 'touchup' && character"
          :touchups="touchups"
          :clip="clip"
          :character="character.name"
          :frame="frame"
          :findings="findings"
          :note="rendition?.note ?? ''"
        />
        <TransferLeaf
          v-else-if="character"
          :fitting="fitting"
          :settling="settling"
          :character="character"
          :clips="clips"
          :clip="clip"
          :bones="bothTrees.target.names"
          @frame="go"
          @clip="choose"
          @leaf="leaf = $event"
          @touch-up="flow.touchUp"
        />
      </template>
    </FittingPane>
    <section class="workspace">
      <FittingBar
        v-if="clip && character"
        v-model:layout="layout"
        v-model:mesh="mesh"
        v-model:bones="bones"
        v-model:view="stances.view.value"
        v-model:roll-markers="stances.rollMarkers.value"
        :clip="clip"
        :clips="clips"
        :skeleton="clip.skeleton_id"
        :character="character.name"
        :stance="leaf === 'stance'"
        :review="review"
        @choose="choose"
      />
      <StageCanvas
        v-model:canvas="canvas"
        :stage="stage"
        label="Source and character under one camera"
        :loading="loading"
        @pointerdown="press"
        @pointermove="hover"
        @pointerup="release"
        @pointerleave="atPointer || (pointed = null)"
      >
        <StanceOverlay
          v-if="leaf === 'stance' && stage && stances.standing.value && bothTrees"
          :stage="stage"
          :stances="stances"
          :trees="bothTrees"
          :height="character?.height ?? 1.7"
          :mirror="mirror"
          :pointed="pointed"
          @stand="standAs"
        />
        <TouchUpOverlay
          v-if="leaf === 'touchup' && stage && character"
          :stage="stage"
          :touchups="touchups"
          :height="character.height"
          :frame="frame"
        />
        <RingMenu v-if="atPointer" :at="atPointer" @pick="pick" @point="pointed = $event" />
      </StageCanvas>
      <MotionTimes v-bind="{ player, range, study, frames, fps, rows, shown, findings }">
        <RenditionPanel
          v-if="clip && character"
          :rendition="rendition"
          :character="character.name"
          :own="character.format"
          @transfer="transfer"
          @stop="stop"
          @frame="go"
        />
      </MotionTimes>
      <TouchUpTimes
        v-if="leaf === 'touchup'"
        :touchups="touchups"
        :frames="frames"
        :frame="frame"
        :fps="fps"
        @frame="go"
      />
      <ContactStrips
        v-if="leaf === 'transfer' && settling.contacts.value"
        :frames="frames"
        :frame="frame"
        :contacts="settling.contacts.value"
        @frame="go"
        @set="settling.setContacts"
      />
    </section>
  </div>
</template>
