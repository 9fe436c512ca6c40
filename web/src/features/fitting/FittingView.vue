<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { decodeFloats, decodePose } from '@/api/motion'
import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { useFindingKeys } from '@/shared/player/useFindingKeys'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useArrivals } from '@/stores/arrivals'
import { useCast, type Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRenditions } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'
import { loadFigure, type StageModule } from './figures'
import { lights, split } from './lights'
import { openFitting } from './open'
import PairLeaf from './PairLeaf.vue'
import RenditionPanel from './RenditionPanel.vue'
import RingMenu from './RingMenu.vue'
import { besideStances, closeUp, inPlace, setUp, type Pose } from './standing'
import StanceLeaf from './StanceLeaf.vue'
import StanceOverlay from './StanceOverlay.vue'
import type { Wanted } from './stances'
import ContactStrips from './ContactStrips.vue'
import FittingBar from './FittingBar.vue'
import FittingTabs, { type Leaf } from './FittingTabs.vue'
import TransferLeaf from './TransferLeaf.vue'
import { useClipMotion } from './useClipMotion'
import { useFitting } from './useFitting'
import { useFittingKeys } from './useFittingKeys'
import { useRibbonRows } from './useRibbonRows'
import { useRings } from './useRings'
import { useSettling } from './useSettling'
import { KEYS, useStances } from './useStances'
import type { Fitting, Group, Which } from './weave'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const cast = useCast()
const messages = useMessages()
const renditions = useRenditions()

const sourceBones = ref<Bones | null>(null)
const targetBones = ref<Bones | null>(null)
const lost = ref(false)
const loading = ref('')
/** Where a link leads to: a leaf, and a frame of the clip. */
const asked = { leaf: route.query.leaf, frame: route.query.frame === undefined ? null : Number(route.query.frame) || 0 }
const leaf = ref<Leaf>(asked.leaf === 'stance' || asked.leaf === 'transfer' ? asked.leaf : 'pair')
const layouts = ref<Record<Leaf, 'beside' | 'over'>>({ pair: 'beside', stance: 'over', transfer: 'beside' })
const layout = computed({ get: () => layouts.value[leaf.value], set: (now) => (layouts.value[leaf.value] = now) })
const mesh = ref(true)
const bones = ref(true)
const pointed = ref<string | null>(null)
const held = ref<{ which: Which; bone: string } | null>(null)
const mirror = ref(true)
const changed = ref<string[]>([])
const pair = ref<InstanceType<typeof PairLeaf>>()
const canvas = ref<HTMLCanvasElement>()
const stage = shallowRef<ReturnType<StageModule['openStage']>>()
const frames = ref(1)
const fps = ref(30)
const { rows, shown, drawRows, drawFigure } = useRibbonRows(stage, targetBones)
const player = usePlayer(frames, fps)
const { frame, playing, loop, go, step } = player
let module: StageModule | undefined

/** This view is made anew for another fitting, and may outlive its address by a request. */
const id = Number(route.params.id)
const { fitting, why, busy, load, edit, stand, takeFrom, undo, redo, askWhy, pairWith, run } = useFitting(
  () => id,
  () => ({ clip_id: clip.value?.id, frame: frame.value }),
  afterChange,
)
const clips = computed(() => library.present.filter((clip) => clip.skeleton_id === fitting.value?.skeleton_id))
const clip = computed(() => clips.value.find((one) => one.id === Number(route.query.clip)) ?? clips.value[0])
const character = computed(() => (fitting.value ? cast.character(fitting.value.character_id) : undefined))
const rendition = computed(() => (clip.value && character.value ? renditions.of(clip.value.id, character.value.id) : undefined))
const stances = useStances({
  fitting, stage, character,
  module: () => module,
  trees: { source: sourceBones, target: targetBones },
  shown: () => ({ clip: clip.value?.id, frame: frame.value }),
  active: () => leaf.value === 'stance',
  beside: () => layout.value === 'beside',
  mesh: () => mesh.value,
})
const settling = useSettling({ fitting, stage, shown: () => ({ clip_id: clip.value?.id, frame: frame.value }), change: run })
/** Of the state in view where it was measured, else of the rendition. */
const findings = computed(() => (leaf.value === 'transfer' ? settling.measures.value?.findings : undefined) ?? rendition.value?.newest?.findings ?? [])

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
    await lookAgain()
    await nextTick()
    await openTheStage()
  } catch (problem) {
    lost.value = !fitting.value
    messages.fail(problem)
  }
}
async function openTheStage() {
  module ??= await import('@/stage')
  if (!canvas.value || !character.value || !sourceBones.value) return
  const now = (stage.value = module.openStage(canvas.value))
  loading.value = `Fetching ${character.value.name} …`
  const figure = await loadFigure(module, now.palette, character.value)
  if (stage.value !== now) return figure.dispose()
  now.add('character', figure)
  loading.value = ''
  await motion.load(true)
  if (leaf.value === 'stance') await toStances()
}
/** Both bodies in their stances, and what they can be taken from. */
async function toStances() {
  await Promise.all([stances.show(), stances.loadOffers()])
  place(true)
  await stances.feather()
}

/** The frame on the stage; beside their stances the two stay where they are looked at. */
function showFrame(now: number) {
  stage.value?.setFrame(now)
  const pose = leaf.value === 'stance' && stances.view.value === 'Both' ? standing() : null
  if (pose) inPlace(pose, besideStances(pose))
}
/** Stand the two side by side or over each other, and look at both. */
function place(look: boolean) {
  const pose = standing()
  if (!pose) return
  setUp(pose, look, leaf.value === 'stance' ? stances.view.value : 'Motion')
  stances.lay()
  stances.moved.value += 1
  light()
}
/** One part of both bodies closely, or the whole bodies. */
function lookAt(group: Group) {
  const pose = standing()
  if (pose && !closeUp(pose, group)) place(true)
}
function standing(): Pose | null {
  const [now, source, target] = [stage.value, sourceBones.value, targetBones.value]
  if (!now || !fitting.value || !source || !target || !character.value) return null
  const size = library.skeletons.find((body) => body.id === fitting.value?.skeleton_id)?.height ?? 1.7
  return {
    stage: now, fitting: fitting.value, trees: { source, target }, rows: rows.value,
    heights: { source: size, target: character.value.height }, beside: layout.value === 'beside',
  }
}

/** What is measured of the clip in view, as long as somebody looks at it. */
function measure() {
  if (leaf.value === 'transfer') return settling.load()
}

/** What is pointed at, as keys: a bone and its pair, a pair, or a part. */
const lit = computed(() => {
  const key = pointed.value
  if (!key) return []
  const [which, bone] = split(key)
  const own = which ? pairWith(which, bone) : undefined
  return own ? [key, own.key] : [key]
})
/** Light up the bones that are pointed at, held, chosen, or just changed, on all figures. */
function light() {
  const trees = { source: sourceBones.value, target: targetBones.value }
  const taken = leaf.value === 'stance' ? stances.chosen.value : held.value
  const { rings, large } = lights(fitting.value, trees, lit.value, taken ? [taken] : [], changed.value)
  stage.value?.source('source')?.select(rings.source, large.source)
  const figure = stage.value?.figure('character')
  figure?.boneLines.select(rings.target, large.target)
  stage.value?.source(KEYS.source)?.select(rings.source, large.source)
  stage.value?.figure(KEYS.target)?.boneLines.select(rings.target, large.target)
  figure?.show(mesh.value, bones.value || pointed.value !== null || held.value !== null)
  stances.reveal()
  stage.value?.invalidate()
}

/** A change is seen on the figure first, in the frame that is shown; the rest of the clip follows behind it. */
function afterChange(before: Fitting) {
  const old = new Map(before.pairs.map((one) => [one.key, `${one.source} ${one.target}`]))
  changed.value = (fitting.value?.pairs ?? []).filter((one) => old.get(one.key) !== `${one.source} ${one.target}`).map((one) => one.key)
  clearTimeout(fading)
  fading = setTimeout(() => {
    changed.value = []
    light()
  }, 2500)
  const row = clip.value
  const figure = stage.value?.figure('character')
  const pose = fitting.value?.pose
  if (row && figure && pose) {
    const { rotations, translations } = decodePose(pose, figure.joints.length)
    if (!playing.value) figure.take(rotations, translations)
    stances.settle()
    settling.settle()
    if (leaf.value === 'stance' && fitting.value?.standing) stances.take(decodeFloats(fitting.value.standing))
    light()
    stage.value?.draw()
    if (window.armuto) window.armuto.shown = fitting.value?.revision
  }
  clearTimeout(filling)
  motion.stop()
  filling = setTimeout(() => {
    void Promise.all([motion.loadTarget(), lookAgain(), askWhy(row?.id)]).then(light).then(measure).catch(messages.fail)
  }, 350)
}
let fading: ReturnType<typeof setTimeout> | undefined
let filling: ReturnType<typeof setTimeout> | undefined

const motion = useClipMotion({
  stage, fitting, clip, frame, frames, fps, playing, go, place, showFrame,
  module: () => module,
  fittingId: id,
  trees: { source: sourceBones, target: targetBones },
  asked: asked.frame,
  fromStart: () => leaf.value !== 'pair',
  ribbon: { drawRows, drawFigure },
})
const { atPointer, press, hover, release, choose: pick } = useRings({
  canvas, stage,
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
watch(() => clip.value?.id, (now, before) => now && before && (void askWhy(now), void lookAgain().catch(messages.fail), settling.forget(), motion.load(true).then(stances.feather).then(measure)))
watch(
  () => theme.global.name.value,
  async () => {
    stage.value?.dispose()
    stage.value = undefined
    await openTheStage()
  },
  { flush: 'post' },
)

const standAs = (wanted: Wanted) => stand(wanted).then(() => (wanted.op === 'name' ? stances.loadOffers() : undefined))

async function transfer() {
  if (!clip.value || !character.value) return
  await renditions.make(clip.value.id, character.value.id).catch(messages.fail)
  await useRuns().refresh()
  await lookAgain().catch(messages.fail)
}
/** What there is of the rendition in view, after something it depends on was changed. */
const lookAgain = async () => clip.value && character.value && renditions.look(clip.value.id, character.value.id)
const stop = () => rendition.value && renditions.stop(rendition.value.id).catch(messages.fail)
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
onBeforeUnmount(() => {
  motion.stop()
  clearTimeout(fading)
  clearTimeout(filling)
  stage.value?.dispose()
})
</script>

<template>
  <div v-if="lost" class="view">
    <div class="empty">
      <h1>This fitting is no longer there</h1>
      <v-btn to="/fittings">To the fittings</v-btn>
    </div>
  </div>
  <div v-else class="view" @dragover.prevent @drop="drop">
    <aside class="pane leaves" aria-label="The fitting">
      <FittingTabs v-model="leaf" :fitting="fitting" :busy="!!busy" @take="takeFrom" @undo="undo" @redo="redo" />
      <div class="leaf">
        <template v-if="fitting && sourceBones && targetBones">
          <PairLeaf
            v-if="leaf === 'pair'"
            ref="pair"
            v-model:mirror="mirror"
            v-model:held="held"
            :fitting="fitting"
            :source="sourceBones"
            :target="targetBones"
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
            :trees="{ source: sourceBones, target: targetBones }"
            :character="character?.name ?? ''"
            :clip="clip"
            :frame="frame"
            :frames="frames"
            :pointed="pointed"
            @point="pointed = $event"
            @stand="standAs"
          />
          <TransferLeaf v-else-if="character" :fitting="fitting" :settling="settling" :character="character" :clips="clips" :clip="clip" :bones="targetBones.names" @frame="go" @clip="choose" @leaf="leaf = $event" />
        </template>
      </div>
    </aside>
    <section class="work">
      <FittingBar v-if="clip && character" v-model:layout="layout" v-model:mesh="mesh" v-model:bones="bones" v-model:view="stances.view.value" v-model:roll-markers="stances.rollMarkers.value" :clip="clip" :clips="clips" :character="character.name" :stance="leaf === 'stance'" @choose="choose" />
      <div class="stage">
        <canvas
          ref="canvas"
          tabindex="-1"
          aria-label="Source and character under one camera"
          @pointerdown="press"
          @pointermove="hover"
          @pointerup="release"
          @pointerleave="atPointer || (pointed = null)"
        ></canvas>
        <StanceOverlay
          v-if="leaf === 'stance' && stage && stances.standing.value && sourceBones && targetBones"
          :stage="stage"
          :stances="stances"
          :trees="{ source: sourceBones, target: targetBones }"
          :height="character?.height ?? 1.7"
          :mirror="mirror"
          :pointed="pointed"
          @stand="standAs"
        />
        <RingMenu v-if="atPointer" :at="atPointer" @pick="pick" @point="pointed = $event" />
        <p v-if="loading" class="quiet loading" role="status">{{ loading }}</p>
      </div>
      <TransportBar v-model:playing="playing" v-model:loop="loop" :frame="frame" :frames="frames" :fps="fps" @step="step">
        <RenditionPanel v-if="clip && character" :rendition="rendition" :character="character.name" :own="character.format" @transfer="transfer" @stop="stop" @frame="go" />
      </TransportBar>
      <PoseRibbon :frames="frames" :fps="fps" :frame="frame" :rows="rows" :shown="shown" :findings="findings" @frame="go" />
      <ContactStrips v-if="leaf === 'transfer' && settling.contacts.value" :frames="frames" :frame="frame" :contacts="settling.contacts.value" @frame="go" @set="settling.setContacts" />
    </section>
  </div>
</template>

<style scoped>
.leaves { width: 452px; display: flex; flex-direction: column; overflow: hidden; }
.leaf { overflow-y: auto; flex: 1; min-height: 0; display: flex; flex-direction: column; }
.work { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.stage { position: relative; flex: 1; min-height: 160px; overflow: hidden; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; touch-action: none; cursor: grab; }
.loading { position: absolute; left: 18px; bottom: 10px; }
.ribbon { border-top: 1px solid var(--hairline); }
@media (max-width: 1150px) { .leaves { width: 384px; } }
</style>
