<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { useFindingKeys } from '@/shared/player/useFindingKeys'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useArrivals } from '@/stores/arrivals'
import { useCast, type Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRuns } from '@/stores/runs'
import { openFitting } from './open'
import PairLeaf from './PairLeaf.vue'
import RenditionPanel from './RenditionPanel.vue'
import RingMenu from './RingMenu.vue'
import StanceLeaf from './StanceLeaf.vue'
import StanceOverlay from './StanceOverlay.vue'
import type { Wanted } from './stances'
import ContactStrips from './ContactStrips.vue'
import FittingBar from './FittingBar.vue'
import FittingPane, { type Leaf } from './FittingPane.vue'
import TransferLeaf from './TransferLeaf.vue'
import { useArrangement } from './useArrangement'
import { useClipMotion } from './useClipMotion'
import { useFitting } from './useFitting'
import { useFittingKeys } from './useFittingKeys'
import { useFittingStage } from './useFittingStage'
import { useHighlights } from './useHighlights'
import { useLiveChange } from './useLiveChange'
import { useRendition } from './useRendition'
import { useRibbonRows } from './useRibbonRows'
import { useRings } from './useRings'
import { useSettling } from './useSettling'
import { useStances } from './useStances'
import type { Fitting } from './weave'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const cast = useCast()
const messages = useMessages()

const sourceBones = ref<Bones | null>(null)
const targetBones = ref<Bones | null>(null)
const lost = ref(false)
/** Where a link leads to: a leaf, and a frame of the clip. */
const asked = { leaf: route.query.leaf, frame: route.query.frame === undefined ? null : Number(route.query.frame) || 0 }
const leaf = ref<Leaf>(asked.leaf === 'stance' || asked.leaf === 'transfer' ? asked.leaf : 'pair')
const layouts = ref<Record<Leaf, 'beside' | 'over'>>({ pair: 'beside', stance: 'over', transfer: 'beside' })
const layout = computed({ get: () => layouts.value[leaf.value], set: (now) => (layouts.value[leaf.value] = now) })
const mesh = ref(true)
const bones = ref(true)
const mirror = ref(true)
const pair = ref<InstanceType<typeof PairLeaf>>()
const canvas = ref<HTMLCanvasElement>()
const frames = ref(1)
const fps = ref(30)
const player = usePlayer(frames, fps)
const { frame, playing, loop, go, step } = player

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
/** Of the state in view where it was measured, else of the rendition. */
const findings = computed(
  () =>
    (leaf.value === 'transfer' ? settling.measures.value?.findings : undefined) ??
    rendition.value?.newest?.findings ??
    [],
)

async function open() {
  try {
    if (!library.loaded) await library.load()
    if (!cast.loaded) await cast.load()
    await load()
    ;[sourceBones.value, targetBones.value] = await Promise.all([
      cast.skeleton(fitting.value!.skeleton_id),
      cast.skeleton(character.value!.skeleton_id),
    ])
    void useRuns().refresh()
    void askWhy(clip.value?.id)
    await lookUp()
    await nextTick()
    await openTheStage()
  } catch (problem) {
    lost.value = !fitting.value
    messages.fail(problem)
  }
}
async function openTheStage() {
  if (!(await fittingStage.open())) return
  await motion.load(true)
  if (leaf.value === 'stance') await toStances()
}
/** Both bodies in their stances, and what they can be taken from. */
async function toStances() {
  await Promise.all([stances.show(), stances.loadOffers()])
  place(true)
  await stances.feather()
}

/** What is measured of the clip in view, as long as somebody looks at it. */
function measure() {
  if (leaf.value === 'transfer') return settling.load()
}

const { pointed, held, changed, lit, light, lightChanges } = useHighlights({
  fitting,
  stage,
  trees,
  mesh,
  bones,
  chosen: () => (leaf.value === 'stance' ? stances.chosen.value : null),
  pairWith,
  reveal: stances.reveal,
})
const { place, lookAt, showFrame } = useArrangement({
  stage,
  fitting,
  character,
  trees,
  rows,
  stances,
  beside: () => layout.value === 'beside',
  inStances: () => leaf.value === 'stance',
  placed: light,
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
  follow: () => Promise.all([lookUp(), askWhy(clip.value?.id)]).then(measure),
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
  place,
  showFrame,
  module,
  fittingId: id,
  trees,
  asked: asked.frame,
  fromStart: () => leaf.value !== 'pair',
  ribbon: { drawRows, drawFigure },
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
  free: (ring) => !held.value || ring.which !== held.value.which || ring.bone === held.value.bone,
  point: (key) => (pointed.value = key),
  pick: (ring, add) => {
    if (leaf.value === 'stance') stances.chosen.value = { which: ring.which, bone: ring.bone }
    else pair.value?.take(ring.which, ring.bone, add)
  },
})

watch(frame, showFrame)
watch(layout, () => place(true))
watch([mesh, bones], () => place(false))
watch(stances.view, () => place(true))
watch(stances.chosen, light)
watch([pointed, held], light)
watch(leaf, (now) => {
  held.value = null
  if (now === 'stance') void toStances().catch(messages.fail)
  else if (now === 'transfer') void settling.load().finally(() => place(true))
  else place(true)
})
watch(
  () => clip.value?.id,
  (now, before) => {
    if (!now || !before) return
    void askWhy(now)
    void lookUp().catch(messages.fail)
    settling.forget()
    void motion.load(true).then(stances.feather).then(measure)
  },
)
watch(
  () => theme.global.name.value,
  async () => {
    fittingStage.close()
    await openTheStage()
  },
  { flush: 'post' },
)

const standAs = (wanted: Wanted) => stand(wanted).then(() => (wanted.op === 'name' ? stances.loadOffers() : undefined))

const choose = (wanted: number) => router.replace({ query: { clip: wanted } })

async function drop(event: DragEvent) {
  const files = [...(event.dataTransfer?.files ?? [])]
  if (!files.length || !character.value) return
  event.preventDefault()
  const found = await useArrivals().bringIn(files)
  if (found.clips.length) await openFitting(router, found.clips[0], character.value.id).catch(messages.fail)
  else if (found.characters.length) await router.push(`/cast?character=${found.characters[0]}`)
}

useFindingKeys(findings, frame, go)
usePlayerKeys(player, frames)
useFittingKeys({ menu: atPointer, mesh, bones, layout, undo, redo, frameAll: () => place(true) })
onMounted(() => void open())
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
        :character="character.name"
        :stance="leaf === 'stance'"
        @choose="choose"
      />
      <StageCanvas
        v-model:canvas="canvas"
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
        <RingMenu v-if="atPointer" :at="atPointer" @pick="pick" @point="pointed = $event" />
      </StageCanvas>
      <TransportBar
        v-model:playing="playing"
        v-model:loop="loop"
        :frame="frame"
        :frames="frames"
        :fps="fps"
        @step="step"
      >
        <RenditionPanel
          v-if="clip && character"
          :rendition="rendition"
          :character="character.name"
          :own="character.format"
          @transfer="transfer"
          @stop="stop"
          @frame="go"
        />
      </TransportBar>
      <PoseRibbon
        :frames="frames"
        :fps="fps"
        :frame="frame"
        :rows="rows"
        :shown="shown"
        :findings="findings"
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
