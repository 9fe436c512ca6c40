<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client } from '@/api/client'
import TabList from '@/shared/frame/TabList.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { usePlayer } from '@/shared/player/player'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useAddress } from '@/shared/useAddress'
import { useLatest } from '@/shared/useLatest'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import BindingBar from './BindingBar.vue'
import BodyViews from './BodyViews.vue'
import LandmarkLeaf from './LandmarkLeaf.vue'
import MeshLeaf from './MeshLeaf.vue'
import {
  FOCUSES,
  handOf,
  hasFingers,
  readingOf,
  STEPS,
  withLandmark,
  type Focus,
  type Problem,
  type Section,
  type Step,
  type Triple,
} from './rigs'
import SkeletonLeaf from './SkeletonLeaf.vue'
import TryOutLeaf from './TryOutLeaf.vue'
import { useRig } from './useRig'
import { GivenUp, useBinding } from './useBinding'
import { usePieces } from './usePieces'
import { useRigFigure } from './useRigFigure'
import WeightLeaf from './WeightLeaf.vue'

const route = useRoute()
const cast = useCast()
const library = useLibrary()
const messages = useMessages()
const theme = useTheme()
/** This view is made anew for another character. */
const id = Number(route.params.id)
const rig = useRig(id)
const { row, lost, refused, definition, attempt, letGo, keep, undo, redo, undoable, redoable } = rig
const names = Object.keys(STEPS) as Step[]
const step = ref<Step>(names.find((name) => name === route.query.step) ?? 'landmarks')
const onStage = computed(() => step.value === 'weights' || step.value === 'tryout')
const selected = ref<string | null>(typeof route.query.landmark === 'string' ? route.query.landmark : null)
const both = ref(true)
const focus = ref<Focus>('body')
const pieces = usePieces(id, row, definition, rig.keepMoves)
const { pointed, taken, both: bothPieces, move, twin } = pieces
const views = ref<InstanceType<typeof BodyViews>>()
useAddress({ step: () => step.value, landmark: () => selected.value ?? '' })
watch(definition, (now) => {
  if (now && selected.value && !(selected.value in now.landmarks)) selected.value = null
})

const section = shallowRef<Section | null>(null)
const latestCut = useLatest()
let cut: Promise<unknown> = Promise.resolve()
/** The cut through the body at the landmark in hand, wherever the hand has it. */
watch(
  () => {
    const at = selected.value && definition.value?.landmarks[selected.value]?.at
    return step.value === 'landmarks' && at ? ([selected.value, ...at] as [string, ...Triple]) : null
  },
  (place) => {
    if (!place) return void (section.value = null)
    const [landmark, x, y, z] = place
    const params = { path: { character_id: id }, query: { landmark, x, y, z } }
    cut = latestCut(
      () => answer(client.GET('/api/rigs/{character_id}/section', { params })),
      (found) => (section.value = found),
    ).catch(() => (section.value = null))
  },
  { immediate: true },
)
const draw = (name: string, at: Triple) =>
  definition.value && attempt(withLandmark(definition.value, name, at, both.value))
const keepDrawn = () => definition.value && void keep(definition.value)
/** Of the cut through where it is now, which may be on its way. */
async function toMiddle() {
  const landmark = selected.value
  await nextTick().then(() => cut)
  if (!section.value?.middle || !landmark || landmark !== selected.value || !definition.value) return
  void keep(withLandmark(definition.value, landmark, section.value.middle as Triple, both.value))
}
function select(by: number) {
  const all = Object.keys(definition.value?.landmarks ?? {})
  if (!all.length) return
  const at = selected.value ? all.indexOf(selected.value) + by : by > 0 ? 0 : -1
  selected.value = all[(at + all.length) % all.length]
}

const canvas = ref<HTMLCanvasElement>()
const work = useBinding(id)
const { share, doing, stopped } = work
const figure = useRigFigure(canvas, row, work.bind)
const { stage, binding, loading, frames, fps, coloured, clip } = figure
const player = usePlayer(frames, fps)
const { frame, go } = player
const radius = ref(0.08)
const amount = ref(0.3)
watch(frame, (at) => stage.value?.setFrame(at))
watch(clip, () => go(0))
watch(
  () => [step.value, row.value?.lock_version],
  async () => {
    await nextTick()
    if (onStage.value) await figure.open()
    else if (step.value === 'mesh') await figure.inspect()
  },
)
watch(onStage, (now) => now || figure.close(), { flush: 'pre' })
watch(step, (now) => {
  player.playing.value = false
  if (now !== 'weights') coloured.value = null
  else go(0)
})
let pressed: { x: number; y: number } | null = null
/** The bone in hand gets more or less of what is about a place. */
function correctAt(at: Triple) {
  if (!coloured.value || !definition.value) return
  const correction = { bone: coloured.value, at, radius: radius.value, amount: amount.value, mirrored: both.value }
  void keep({ ...definition.value, corrections: [...definition.value.corrections, correction] })
}
/** A correction where the figure is clicked, unless the camera was moved. */
function correct(event: PointerEvent) {
  const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4
  pressed = null
  if (!still || event.button !== 0 || step.value !== 'weights' || !coloured.value || !definition.value) return
  const at = figure.pointAt(event.clientX, event.clientY)
  if (at) correctAt(at)
}
/** Where a problem is, in the posture in which it is seen. */
async function see(problem: Problem) {
  const params = { params: { path: { character_id: id } } }
  const { postures } = await answer(client.GET('/api/rigs/{character_id}/postures', params))
  clip.value = null
  go(postures.find(({ name }) => name === problem.posture)?.frame ?? 0)
  coloured.value = problem.bone
  const joint = binding.value?.names.indexOf(problem.bone) ?? -1
  const at = stage.value?.positions().figure?.[joint] ?? problem.at
  stage.value?.frameBall(at[0], at[1], at[2], 0.3)
}

const applying = ref(false)
async function apply() {
  applying.value = true
  try {
    // As it is decided now: what has just been changed may be on its way still, and be bound to be looked at.
    await rig.settled()
    // It is bound first, so that it is seen how far that is, and can be given up.
    binding.value = await work.bind()
    const params = { params: { path: { character_id: id } } }
    const made = await answer(client.POST('/api/rigs/{character_id}/version', params))
    await Promise.all([cast.load(), library.load(), rig.load()])
    messages.say(`${made.name} stands in the line-up with these bones.`, {
      label: 'See it',
      path: `/cast?character=${id}`,
    })
  } catch (problem) {
    if (!(problem instanceof GivenUp)) messages.fail(problem)
  } finally {
    applying.value = false
  }
}
const bindAgain = () => (onStage.value ? figure.open() : figure.inspect())
const state = computed(() =>
  row.value?.current ? 'has these bones in the line-up' : 'these bones are not in the line-up yet',
)
const follows = computed(() => binding.value?.follows ?? null)
const focuses = Object.keys(FOCUSES) as Focus[]
const turnFocus = () => (focus.value = focuses[(focuses.indexOf(focus.value) + 1) % focuses.length])
// Who takes a landmark that is not of the hand that is looked at looks at the whole body again.
watch(selected, (name) => {
  if (focus.value === 'body' || !name || !definition.value) return
  if (!handOf(definition.value, focus.value).names.includes(name)) focus.value = 'body'
})
watch(
  () => definition.value && hasFingers(definition.value),
  (has) => has || (focus.value = 'body'),
)
const turnStep = (by: number) => (step.value = names[(names.indexOf(step.value) + by + names.length) % names.length])

usePlayerKeys(player, frames)
useShortcuts('Bones', {
  stepBefore: () => turnStep(-1),
  stepAfter: () => turnStep(1),
  stop: () => void work.cancel(),
  lineUp: () => void (row.value && !row.value.current && apply()),
  frameAll: () => {
    if (onStage.value) figure.whole()
    else views.value?.look()
  },
  undo: () => void undo(),
  redo: () => void redo(),
})
useShortcuts('Landmarks', {
  next: () => step.value === 'landmarks' && select(1),
  previous: () => step.value === 'landmarks' && select(-1),
  middle: () => step.value === 'landmarks' && toMiddle(),
  mirror: () => void (both.value = !both.value),
  hands: () => step.value === 'landmarks' && definition.value && hasFingers(definition.value) && turnFocus(),
  views: () => views.value?.focus(),
})
// The stage reads its colours as it opens.
watch(
  () => theme.global.name.value,
  () => {
    figure.close()
    if (onStage.value) void figure.open()
  },
  { flush: 'post' },
)
useChanges().on(['rigs'], () => void rig.load())
onMounted(async () => {
  if (!library.loaded) await library.load().catch(messages.fail)
  await rig.load()
})
onBeforeUnmount(figure.close)
</script>

<template>
  <div v-if="lost || refused" class="view">
    <div class="empty">
      <h1>{{ lost ? 'This character is no longer there' : 'It cannot be given bones here' }}</h1>
      <p v-if="refused">{{ refused }}</p>
      <v-btn to="/cast">To the cast</v-btn>
    </div>
  </div>
  <div v-else-if="!row || !definition" class="view">
    <p class="empty quiet" role="status">Looking at its shape …</p>
  </div>
  <div v-else class="view">
    <aside class="pane steps" aria-label="Steps">
      <TabList v-model="step" :tabs="STEPS" label="Steps" panel="rig-step" />
      <div id="rig-step" class="leaf" role="tabpanel" :aria-labelledby="`rig-step-${step}`">
        <MeshLeaf
          v-if="step === 'mesh'"
          v-model:both="bothPieces"
          :row="row"
          :definition="definition"
          :follows="follows"
          :taken="taken"
          :move="move"
          :twin="!!twin"
          @keep="keep"
          @read="rig.proposeAgain"
          @point="(piece) => (pointed = piece)"
          @take="pieces.take"
          @try-move="pieces.attempt"
          @keep-move="pieces.keep"
        />
        <LandmarkLeaf
          v-else-if="step === 'landmarks'"
          v-model:selected="selected"
          v-model:both="both"
          v-model:focus="focus"
          :row="row"
          :definition="definition"
          :section="section"
          @middle="toMiddle"
          @again="rig.proposeAgain(readingOf(definition))"
        />
        <SkeletonLeaf
          v-else-if="step === 'skeleton'"
          :row="row"
          :definition="definition"
          @keep="keep"
          @fingers="rig.proposeFingers"
        />
        <WeightLeaf
          v-else-if="step === 'weights'"
          v-model:bone="coloured"
          v-model:radius="radius"
          v-model:amount="amount"
          v-model:both="both"
          :definition="definition"
          :binding="binding"
          @keep="keep"
          @see="see"
          @correct="correctAt"
        />
        <TryOutLeaf v-else :id="id" v-model:clip="clip" :version="row.lock_version" :frame="frame" @go="go" />
      </div>
    </aside>
    <section class="workspace">
      <div class="bar">
        <router-link class="quiet way" :to="`/cast?character=${id}`">Cast</router-link>
        <h1 :title="row.name">{{ row.name }}</h1>
        <span class="quiet state" role="status" :title="state">{{ state }}</span>
        <span class="space"></span>
        <UndoRedo group="Bones" :undoable="undoable" :redoable="redoable" @undo="undo" @redo="redo" />
        <a class="word" :href="`/api/rigs/${id}/figure?whole=true`" :download="`${row.name}.glb`">Fetch as .glb</a>
        <v-btn size="small" :class="{ doing: !row.current }" :disabled="row.current || applying" @click="apply">
          {{ applying ? 'Binding …' : 'To the line-up' }}
        </v-btn>
      </div>
      <StageCanvas
        v-if="onStage"
        v-model:canvas="canvas"
        :stage="stage"
        label="The figure with its bones"
        :loading="loading"
        @pointerdown="pressed = { x: $event.clientX, y: $event.clientY }"
        @pointerup="correct"
      />
      <BodyViews
        v-else
        ref="views"
        :row="row"
        :definition="definition"
        :selected="selected"
        :section="section"
        :show="step === 'mesh' ? 'nothing' : step === 'skeleton' ? 'bones' : 'landmarks'"
        :piece="step === 'mesh' ? pieces.shown.value : null"
        :focus="step === 'landmarks' ? focus : 'body'"
        @select="(name) => (selected = name)"
        @try="draw"
        @keep="keepDrawn"
        @let-go="() => (letGo(), pieces.letGo())"
        @try-move="pieces.attempt"
        @keep-move="pieces.keep"
      />
      <BindingBar :share="share" :doing="doing" :stopped="stopped" @stop="work.cancel" @again="bindAgain" />
      <TransportBar v-if="onStage" :player="player" :frames="frames" :fps="fps" />
    </section>
  </div>
</template>

<style scoped>
.steps {
  width: 384px;
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.leaf {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 12px 14px;
  overflow-y: auto;
}
.bar {
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 10px 18px;
}
h1 {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 4rem;
}
.state {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 14px;
}
.bar .word {
  font-size: 14px;
  white-space: nowrap;
}
</style>
