<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client, type Schemas } from '@/api/client'
import { openFitting } from '@/features/fitting/open'
import { filesOf, hasFiles } from '@/shared/frame/dropped'
import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { frameNumber, frameRange } from '@/shared/units'
import { useLibrary, type ClipChange } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useSplices } from '@/stores/splices'
import ClipFacts from './ClipFacts.vue'
import ClipPane, { type Leaf } from './ClipPane.vue'
import { shownAt, type Graph } from './curves'
import GraphStrip from './GraphStrip.vue'
import PaceCurve from './PaceCurve.vue'
import { replaced, type LoopCandidate, type Recipe, type Step } from './recipe'
import RecipePanel from './RecipePanel.vue'
import { useCutoff } from './useCutoff'
import { useClipEdits, type Range } from './useClipEdits'
import { useClipStage } from './useClipStage'
import { useRefining } from './useRefining'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const messages = useMessages()

/** This view is made anew for another clip. */
const id = Number(route.params.id)
const clip = computed(() => library.clip(id))
const splice = computed(() => useSplices().ofClip(id))
const height = computed(() => library.skeletons.find((body) => body.id === clip.value?.skeleton_id)?.height ?? 1.7)
const canvas = ref<HTMLCanvasElement>()
const scene = useClipStage(canvas, height)
const { stage, bones, now, before, frames, fps, rows, shown, follow, ghost, traced } = scene
const { range, trimmed, trim, draft, refine, undo, redo, undoable, redoable, forget } = useClipEdits(id, clip)
const { refined, analysis, measuring, load, attempt, measure } = useRefining(id)

const leaf = useLocalStorage<Leaf>('armuto.clip.leaf', 'refine')
const kept = computed<Recipe>(() => clip.value?.recipe ?? { steps: [] })
const recipe = computed<Recipe>(() => draft.value ?? kept.value)
const hasSteps = computed(() => kept.value.steps.some((step) => step.on))
/** What is on the stage: the take as it came, with the range that the clip is, or what becomes of it. */
const taking = ref(false)
const trying = ref(false)
const inTake = computed(() => taking.value || !(hasSteps.value || trying.value) || !refined.value)
const playedRange = computed<Range>(() => (inTake.value ? range.value : [0, Math.max(0, frames.value - 1)]))
const player = usePlayer(frames, fps, playedRange)
const { frame, playing, loop, laps, go } = player
/** Whether what loops goes on along its path instead of beginning where it began. */
const onward = ref(true)
const looped = computed(() => !inTake.value && kept.value.steps.some((step) => step.kind === 'loop' && step.on))
const LAPS = 12
watch([laps, onward, looped], () => scene.carry(onward.value && looped.value ? laps.value % LAPS : 0))
/** The frame of the take that is in view. */
const takeFrame = computed(() => (inTake.value ? frame.value : Math.round(refined.value?.takeFrames[frame.value] ?? 0)))
/** The same as it was last seen, whatever has become of the clip since. */
let moment = 0
watch(frame, () => (moment = takeFrame.value), { flush: 'sync' })

async function start() {
  scene.close()
  playing.value = false
  if (!library.loaded) await library.load().catch(messages.fail)
  if (!clip.value) return
  range.value = [clip.value.first, clip.value.last]
  await nextTick()
  try {
    if (!(await scene.open(clip.value))) return
    moment = clip.value.first
    if (hasSteps.value) await load()
    display()
    scene.look(frame.value)
    await measure()
  } catch (problem) {
    messages.fail(problem)
  }
}
/** Put on the stage what is to be seen, at the same moment of the take. */
function display() {
  const at = moment
  scene.show(inTake.value ? null : refined.value)
  go(inTake.value ? at : shownAt(refined.value!.takeFrames, at))
  stage.value?.setFrame(frame.value)
}
function showTake(on: boolean) {
  taking.value = on
  display()
}
watch(refined, () => stage.value && !taking.value && display())
/** What the clip was last read as; whoever changed it since, it is fetched anew. */
watch(
  () => clip.value && [clip.value.revision, JSON.stringify(kept.value)].join(),
  async (_, known) => {
    if (!known || !stage.value) return
    trying.value = false
    try {
      if (hasSteps.value) await load()
      else refined.value = null
      if (!hasSteps.value) display()
      await measure()
    } catch (problem) {
      messages.fail(problem)
    }
  },
)
async function tryOut(wanted: Recipe) {
  trying.value = true
  await attempt(wanted).catch(() => undefined) // what cannot be followed is said when it is to be kept
}
async function keepRecipe(wanted: Recipe) {
  const made = await refine(wanted)
  if (!made && trying.value) {
    trying.value = false
    if (hasSteps.value) await load().catch(messages.fail)
    else display()
  }
}
const compare = (loop: LoopCandidate | null) => scene.compare(loop && [loop.first, loop.last])

const pace = computed(() => {
  const at = recipe.value.steps.findIndex((step) => step.kind === 'pace' && step.on)
  const step = recipe.value.steps[at]
  return step?.kind === 'pace' ? { at, step } : null
})
const withKeys = (keys: number[][]): Recipe => ({
  steps: replaced(recipe.value.steps, pace.value!.at, { ...pace.value!.step, keys } as Step),
})

const bone = ref(0)
const graph = ref<Graph>('')
const { cutoff, unsmoothed, cutOff } = useCutoff(clip, recipe, takeFrame, keepRecipe)
const trace = ref(false)
watch([bone, trace], () => (traced.value = trace.value ? bone.value : null))
watch(bones, (tree) => {
  if (tree) bone.value = Math.max(0, tree.parts.indexOf('left hand'), tree.parts.indexOf('hips'))
})

/** base: the version that it was begun on. */
const change = (wanted: ClipChange, base?: number) =>
  messages.attempt(
    (again) => library.change(id, wanted, again ? undefined : base),
    () => library.look(id),
  )
function wholeTake() {
  range.value = [0, clip.value!.take_frames - 1]
  void trim()
}
async function cut(name: string, said: (made: string) => string) {
  const whole = clip.value
  if (!whole) return
  const body = { first: range.value[0], last: range.value[1], name }
  try {
    const path = { params: { path: { clip_id: id } } }
    const made = await answer(client.POST('/api/library/clips/{clip_id}/segments', { ...path, body }))
    await library.load()
    range.value = [whole.first, whole.last]
    messages.say(said(made.name), { label: 'Open it', path: `/library/clips/${made.id}` })
  } catch (problem) {
    messages.fail(problem)
  }
}
async function cutAll(cuts: Schemas['SegmentOut'][]) {
  const path = { params: { path: { clip_id: id } } }
  try {
    for (const { first, last, what } of cuts)
      await answer(
        client.POST('/api/library/clips/{clip_id}/segments', {
          ...path,
          body: { first, last, name: `${clip.value?.name} ${what}` },
        }),
      )
    messages.say(`${cuts.length} clips are cut from this take.`, { label: 'To the library', path: '/library' })
  } catch (problem) {
    messages.fail(problem)
  }
  await library.load().catch(messages.fail)
}
/** A frame of the take, wherever it is shown. */
const showFrame = (at: number) => go(inTake.value ? at : shownAt(refined.value!.takeFrames, at))
const cutOut = () => cut(clip.value?.name ?? '', (made) => `Cut “${made}” from the same take.`)
const variant = () => cut(`${clip.value?.name} variant`, (made) => `“${made}” is a variant on the same take.`)
async function newVersion(files: File[]) {
  if (!clip.value || !files.length) return
  const data = new FormData()
  data.append('file', files[0])
  try {
    const made = await answer(
      client.POST('/api/library/clips/{clip_id}/version', {
        params: { path: { clip_id: id } },
        body: data as never,
        bodySerializer: (form) => form as never,
      }),
    )
    await library.load()
    forget()
    messages.say(`“${made.name}” is now at version ${made.revision}; what was made from it is out of date.`)
    await start()
  } catch (problem) {
    messages.fail(problem)
  }
}
async function drop(event: DragEvent) {
  if (!hasFiles(event)) return
  event.preventDefault()
  await newVersion(await filesOf(event.dataTransfer))
}
const perform = (character: number) => openFitting(router, id, character).catch(messages.fail)
const timeOf = (at: number) => `${at} · ${(at / fps.value).toFixed(2)} s`

usePlayerKeys(player, frames, playedRange)
useShortcuts('Clip', {
  rangeFirst: () => inTake.value && (range.value = [Math.min(frame.value, range.value[1] - 1), range.value[1]]),
  rangeLast: () => inTake.value && (range.value = [range.value[0], Math.max(frame.value, range.value[0] + 1)]),
  frameAll: () => scene.look(frame.value),
  showTake: () => hasSteps.value && showTake(!taking.value),
  undo: () => void undo(),
  redo: () => void redo(),
})
watch(frame, (at) => stage.value?.setFrame(at))
watch(
  () => theme.global.name.value,
  () => void start(),
  { flush: 'post' },
)
onMounted(() => void start())
onBeforeUnmount(scene.close)
</script>

<template>
  <div v-if="library.loaded && !clip" class="view">
    <div class="empty">
      <h1>This clip is no longer there</h1>
      <v-btn to="/library">To the library</v-btn>
    </div>
  </div>
  <div v-else-if="clip" class="view" @dragover.prevent @drop="drop">
    <section class="workspace">
      <div class="bar">
        <router-link class="quiet way" :to="`/library?clip=${clip.id}`">Library</router-link>
        <h1>{{ clip.name }}</h1>
        <span v-if="clip.retired" class="quiet">retired</span>
        <router-link v-if="splice" class="quiet" :to="`/splices/${splice.id}`"
          >spliced of {{ splice.parts.join(' · ') }}</router-link
        >
        <span class="space"></span>
        <span v-if="hasSteps" class="choice" role="group" aria-label="What is shown">
          <button :aria-pressed="!inTake" @click="showTake(false)">Refined</button>
          <button
            :aria-pressed="inTake"
            v-bind="withKey('Clip', 'showTake', 'The take as it came, to trim')"
            @click="showTake(true)"
          >
            Take
          </button>
        </span>
        <label class="follow"><input v-model="follow" type="checkbox" /> Camera follows</label>
      </div>
      <StageCanvas v-model:canvas="canvas" :stage="stage" label="The clip on its skeleton" />
      <TransportBar :player="player" :frames="frames" :fps="fps">
        <template v-if="inTake">
          <span class="mono quiet range" :title="`${timeOf(range[0])} to ${timeOf(range[1])}`"
            >range {{ frameRange(...range) }}</span
          >
          <v-btn
            size="small"
            :disabled="!trimmed"
            title="The range becomes a clip of its own, from the same take"
            @click="cutOut"
          >
            Cut out
          </v-btn>
          <v-btn
            size="small"
            :class="{ doing: trimmed }"
            :disabled="!trimmed"
            title="The clip becomes this range; the take is kept"
            @click="trim"
            >Trim</v-btn
          >
        </template>
        <template v-else>
          <label v-if="looped && loop" class="follow" title="Played again, it begins where it ended"
            ><input v-model="onward" type="checkbox" /> Goes on along its path</label
          >
          <span class="mono quiet range">take {{ frameNumber(takeFrame) }}</span>
        </template>
      </TransportBar>
      <PoseRibbon
        :frames="frames"
        :fps="fps"
        :frame="frame"
        :rows="rows"
        :expected="1"
        :shown="shown"
        :range="inTake ? range : undefined"
        @frame="go"
        @range="(first, last) => (range = [first, last])"
      />
      <PaceCurve
        v-if="pace && !inTake && refined"
        :keys="pace.step.keys"
        :percent="pace.step.percent"
        :take-frames="refined.takeFrames"
        :frame="frame"
        @try="tryOut(withKeys($event))"
        @keep="keepRecipe(withKeys($event))"
      />
      <GraphStrip
        v-model:bone="bone"
        v-model:graph="graph"
        v-model:trace="trace"
        v-model:ghost="ghost"
        :clip="id"
        :digest="unsmoothed"
        :cutoff="cutoff"
        :names="bones?.names ?? []"
        :parents="bones?.parents ?? []"
        :now="now"
        :before="before"
        :frame="frame"
        :fps="fps"
        @cutoff="cutOff"
      />
    </section>
    <ClipPane
      v-model="leaf"
      :clip="clip"
      :undoable="undoable"
      :redoable="redoable"
      :change="change"
      @undo="undo"
      @redo="redo"
    >
      <RecipePanel
        v-if="leaf === 'refine'"
        :clip="id"
        :recipe="recipe"
        :analysis="analysis"
        :measuring="measuring"
        :frame="takeFrame"
        :fps="fps"
        @cut="cutAll"
        @variant="variant"
        @show="showFrame"
        @try="tryOut"
        @keep="keepRecipe"
        @compare="compare"
      />
      <ClipFacts
        v-else
        :clip="clip"
        :evidence="bones?.evidence ?? []"
        :change="change"
        @whole-take="wholeTake"
        @new-version="newVersion"
        @perform="perform"
      />
    </ClipPane>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 10px 18px;
}
.follow {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
}
.range {
  font-size: 13px;
  white-space: nowrap;
}
</style>
