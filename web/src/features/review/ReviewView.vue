<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client, type Schemas } from '@/api/client'
import { usePlayer } from '@/shared/player/player'
import MotionTimes from '@/shared/player/MotionTimes.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import { useFindingKeys } from '@/shared/player/useFindingKeys'
import { useMotionStudy } from '@/shared/player/useMotionStudy'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useRange } from '@/shared/player/useRange'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { asked, useAddress } from '@/shared/useAddress'
import { useLatest } from '@/shared/useLatest'
import { cellOf, useBoard } from '@/stores/board'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useChoice } from '@/stores/choice'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import type { Rendition } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'
import CastingReview from './CastingReview.vue'
import CompareBar from './CompareBar.vue'
import FindingRows from './FindingRows.vue'
import JudgementBar from './JudgementBar.vue'
import OntoDialog from './OntoDialog.vue'
import ReviewQueue from './ReviewQueue.vue'
import { useReviewQueue, type QueueRow } from './useReviewQueue'
import { useReviewStage, type Against } from './useReviewStage'

type Finding = Schemas['FindingOut']
const route = useRoute()
const router = useRouter()
const theme = useTheme()
const messages = useMessages()
const board = useBoard()
const choice = useChoice()
const runs = useRuns()
const canvas = ref<HTMLCanvasElement>()
const { stage, module, bones: tree, frames, fps, loading, rows, shown, ...reviewStage } = useReviewStage(canvas)
const { open, close, show, place, dress } = reviewStage
const range = useRange(frames, () => route.params.id, route.query)
const player = usePlayer(frames, fps, range.played)
const { frame, playing, go } = player
const study = useMotionStudy({ stage, module, bones: tree, frame, frames, fps })
const queue = useReviewQueue(computed(() => Number(route.params.id) || 0))
const { id } = queue

const rendition = ref<Rendition | null>(null)
const against = ref<Against>('source')
const beside = useLocalStorage('armuto.review.beside', true)
const mesh = useLocalStorage('armuto.review.mesh', true)
const bones = useLocalStorage('armuto.review.bones', false)
const puttingIntoFile = ref(false)
const ready = ref(false)
/** How far the result is from the one it is compared with, centimetres in each frame. */
const apart = ref<number[]>([])
/** The result that is looked at by now, whose frame stands in the address. */
const seen = ref<number>()
useAddress({
  frame: () => (seen.value === id.value && !playing.value ? String(frame.value) : undefined),
  against: () => (seen.value !== id.value ? undefined : against.value === 'source' ? '' : String(against.value)),
})
const casting = ref<InstanceType<typeof CastingReview>>()
const judgement = ref<InstanceType<typeof JudgementBar>>()

/** What is judged: known from the queue at once, while the rest of it is still being fetched. */
const current = computed(() => queue.current.value ?? rendition.value)
const findings = computed(() => rendition.value?.newest?.findings ?? [])
const findingStarts = useFindingKeys(findings, frame, go)

const latest = useLatest()
async function load() {
  const rendition_id = id.value
  if (!rendition_id) return void (rendition.value = null)
  await latest(
    () => answer(client.GET('/api/renditions/{rendition_id}', { params: { path: { rendition_id } } })),
    (row) => (rendition.value = row),
  )
}
let entering: Promise<unknown> = Promise.resolve()
/** Another result: it is looked at beside its source, from its first finding on or where the address says. */
async function enter() {
  const own = id.value
  await load()
  if (id.value !== own) return // somebody has gone on
  playing.value = false
  const at = route.query.frame === undefined ? undefined : Number(route.query.frame)
  if (rendition.value?.casting_id) {
    close()
    apart.value = []
    takeLengthOf(rendition.value)
    go(at ?? findingStarts.value[0] ?? 0)
    seen.value = own
    return
  }
  against.value = againstOf(asked(route.query.against))
  const before = frame.value
  // Whoever has gone to another frame by the time all is there stays at it.
  await look(() => (frame.value === before ? (at ?? findingStarts.value[0] ?? 0) : frame.value))
  if (id.value === own) seen.value = own
}
/** Of a casting, which has a stage of its own. */
function takeLengthOf({ newest }: Rendition) {
  frames.value = newest?.frames ?? 1
  fps.value = newest?.fps ?? 30
}
/** What the address says that it is compared with; a result that there is no more is the source. */
function againstOf(name: string): Against {
  if (name === 'cast') return 'cast'
  const result = rendition.value?.revisions.find((row) => String(row.id) === name)
  return result && result.id !== rendition.value?.newest?.id ? result.id : 'source'
}
/** The result with what it is compared with, at a frame, or where the playhead is by the time both are there. */
async function look(at = () => frame.value) {
  const row = rendition.value
  const result = row?.newest
  if (!row || !result) return
  if (row.casting_id) return takeLengthOf(row)
  if (!stage.value) {
    await nextTick()
    await open()
  }
  const others = against.value === 'cast' ? await performedByOthers(row) : []
  if (!(await show(row, against.value, others, at, beside.value))) return // something else is shown by now
  go(stage.value?.frame ?? 0)
  dress(mesh.value, bones.value)
  study.follow()
  apart.value = typeof against.value === 'number' ? await differenceFrom(row.id, against.value, result.id) : []
}
function compare(now: Against) {
  against.value = now
  void look().catch(messages.fail)
}
async function performedByOthers({ clip_id, character_id }: Rendition) {
  if (clip_id === null) return []
  const others = useCast().present.filter((character) => character.id !== character_id)
  const cells = await Promise.all(
    others.map((character) =>
      answer(client.GET('/api/renditions/cell', { params: { query: { clip_id, character_id: character.id } } })),
    ),
  )
  return cells.filter((cell): cell is Rendition => !!cell?.newest)
}
const differenceFrom = (rendition_id: number, a: number, b: number) =>
  answer(
    client.GET('/api/renditions/{rendition_id}/difference', { params: { path: { rendition_id }, query: { a, b } } }),
  )

/** One judgement after another, each of what was looked at when it was made. */
let acting: Promise<unknown> = Promise.resolve()
function act(what: (row: QueueRow | Rendition) => Promise<unknown>) {
  const row = current.value
  if (row) acting = acting.then(() => what(row)).catch(messages.fail)
}
/** After a judgement: on to the next, unless somebody has gone on already. */
async function judged(which: number) {
  await queue.refresh()
  if (id.value === which) queue.goOn()
  await nextTick()
  if (rendition.value?.id === which) await load()
}
function announce(judgement: string, clip: string, character: string) {
  const { value: now } = queue.current
  const next = now && queue.left.value ? `; ${queue.left.value} left, now ${now.clip} by ${now.character}` : ''
  messages.announce(`${clip} by ${character} ${judgement}${next}.`)
}
const accept = () =>
  act(async (row) => {
    const { id: which, state, clip, character } = row
    const done = await board.accept([cellOf(row)])
    if (!done && state !== 'accepted') messages.say('It is out of date; bring it up to date before it is accepted.')
    await judged(which)
    if (done) announce('accepted', clip, character)
  })
const sendBack = (note: string) =>
  act(async ({ id: which, clip, character }) => {
    await board.sendBack(which, note)
    await judged(which)
    announce('sent back', clip, character)
  })
const update = () => act((row) => board.transfer([cellOf(row)]))
function toFitting(leaf: 'transfer' | 'touchup', finding?: Finding) {
  const row = current.value
  if (!row) return
  const at = finding?.frames[0] ?? frame.value
  if (row.casting_id) {
    const query = { casting: row.casting_id, frame: at }
    return void router.push({ path: `/ensembles/${row.ensemble_id}`, query })
  }
  const query = { clip: row.clip_id, leaf, frame: at, finding: finding?.kind, part: finding?.part, review: row.id }
  void router.push({ path: `/fittings/${row.fitting_id}`, query })
}
async function takeBack(redo: boolean) {
  await (redo ? board.redo() : board.undo())
  await Promise.all([queue.refresh(), load()])
}
function showFinding(at: number, laidOver: boolean) {
  playing.value = false
  if (laidOver) beside.value = false
  go(at)
}
function lookAtAll() {
  choice.cells = []
  void queue.load().catch(messages.fail)
}

usePlayerKeys(player, frames, range.played)
useShortcuts('Review', {
  next: () => queue.step(1),
  previous: () => queue.step(-1),
  accept,
  sendBack: () => void judgement.value?.write(current.value?.note ?? ''),
  fitting: () => toFitting('transfer'),
  touchUp: () => toFitting('touchup'),
  layout: () => void (beside.value = !beside.value),
  mesh: () => void (mesh.value = !mesh.value),
  bones: () => void (bones.value = !bones.value),
  frameAll: () => (casting.value ? casting.value.frameAll() : place(beside.value, true)),
  undo: () => void takeBack(false).catch(messages.fail),
  redo: () => void takeBack(true).catch(messages.fail),
})
watch(frame, (now) => stage.value?.setFrame(now))
watch(beside, (now) => (place(now, true), study.moved()))
watch([mesh, bones], () => dress(mesh.value, bones.value))
watch(
  () => (ready.value ? id.value : undefined),
  (now) => {
    if (!now) return
    entering = enter().catch(messages.fail)
  },
)
/** Returns whether there is another result to look at. */
async function followTransfers() {
  if (!ready.value) return false // it is about to be looked at as it is by then
  await entering // where that decides at which frame it opens
  const before = rendition.value?.newest?.id
  await load().catch(messages.fail)
  if (rendition.value?.newest?.id === before) return false
  await Promise.all([look(), queue.refresh()]).catch(messages.fail)
  return true
}
watch(() => runs.moved, followTransfers)
// What others judge meanwhile shows in the queue.
useChanges().on(['renditions', 'fittings'], async () => {
  if (!(await followTransfers())) await queue.refresh().catch(messages.fail)
})
watch(
  () => theme.global.name.value,
  () => {
    close()
    void look().catch(messages.fail)
  },
  { flush: 'post' },
)
onMounted(async () => {
  try {
    if (!useLibrary().loaded) await useLibrary().load()
    if (!useCast().loaded) await useCast().load()
    await queue.load()
    ready.value = true
  } catch (problem) {
    messages.fail(problem)
  }
})
onBeforeUnmount(close)
</script>

<template>
  <div v-if="queue.rows.value && !queue.rows.value.length && !rendition" class="view">
    <div class="empty">
      <h1>Nothing waits for a look</h1>
      <p>
        Results are reviewed here, the worst findings first. Transfer clips on the board, or sweep there what is to be
        looked at.
      </p>
      <v-btn class="doing" to="/board">To the board</v-btn>
    </div>
  </div>
  <div v-else class="view">
    <ReviewQueue
      :rows="queue.rows.value ?? []"
      :index="queue.index.value"
      :left="queue.left.value"
      :swept="!!choice.cells.length"
      @go="queue.goTo"
      @all="lookAtAll"
    />
    <section class="workspace">
      <template v-if="rendition">
        <JudgementBar
          ref="judgement"
          :rendition="rendition"
          :judged="id"
          @accept="accept"
          @send-back="sendBack"
          @update="update"
          @fitting="toFitting('transfer')"
          @touch-up="toFitting('touchup')"
          @into-file="puttingIntoFile = true"
          @next="queue.step(1)"
        />
        <CompareBar
          v-if="!rendition.casting_id"
          v-model:beside="beside"
          v-model:mesh="mesh"
          v-model:bones="bones"
          :against="against"
          :rendition="rendition"
          :apart="apart"
          @update:against="compare"
          @frame="go"
        />
        <OntoDialog
          v-if="!rendition.casting_id"
          v-model="puttingIntoFile"
          :rendition-id="rendition.id"
          :clip="rendition.clip"
          :character="rendition.character"
        />
      </template>
      <CastingReview
        v-if="rendition?.casting_id"
        ref="casting"
        :key="rendition.id"
        v-model:beside="beside"
        v-model:mesh="mesh"
        v-model:bones="bones"
        v-bind="{ rendition, player, frames, fps, findings }"
        @show="showFinding"
      />
      <template v-else>
        <StageCanvas
          v-model:canvas="canvas"
          :stage="stage"
          label="Source and result under one camera"
          :loading="loading"
        />
        <FindingRows
          :findings="findings"
          :frame="frame"
          touchable
          @show="showFinding"
          @touch-up="toFitting('touchup', $event)"
        />
        <MotionTimes v-bind="{ player, range, study, frames, fps, rows, shown, findings }" />
      </template>
    </section>
  </div>
</template>

<style scoped></style>
