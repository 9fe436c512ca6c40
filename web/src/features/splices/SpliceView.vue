<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { fetchPositions } from '@/api/motion'
import { usePlayer } from '@/shared/player/player'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useAddress } from '@/shared/useAddress'
import { useLatest } from '@/shared/useLatest'
import { useChanges } from '@/stores/changes'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import SpanTimes from './SpanTimes.vue'
import SplicePane from './SplicePane.vue'
import { allPlaced, joinedAt, placeOf, spanMoved, spanRemoved, type Candidate } from './splices'
import { useSplice } from './useSplice'
import { useSpliceStage } from './useSpliceStage'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const messages = useMessages()

/** This view is made anew for another splice. */
const id = Number(route.params.id)
/** The join that is looked at, which the address says too. */
const chosen = ref(Math.max(0, Number(route.query.join) || 0))
const { row, lost, splice, made, fps, trial, load, attempt, letGo, keep, rearrange, undo, redo, undoable, redoable } =
  useSplice(id, () => chosen.value)
const canvas = ref<HTMLCanvasElement>()
const { stage, bones, frames, follow, inked, open, close, show, look, isOut } = useSpliceStage(canvas)
const player = usePlayer(frames, fps)
const { frame, playing, go } = player
const pane = useTemplateRef<InstanceType<typeof SplicePane>>('pane')
const leaf = useLocalStorage<'candidates' | 'map'>('armuto.splice.leaf', 'candidates')
const candidates = ref<Candidate[]>([])
const joins = computed(() => splice.value?.joins.length ?? 0)
watch(joins, (count) => (chosen.value = Math.max(0, Math.min(chosen.value, count - 1))))
const clip = computed(() => (row.value ? library.clip(row.value.clip_id) : undefined))
const height = computed(() => library.skeletons.find((body) => body.id === clip.value?.skeleton_id)?.height ?? 1.7)

const latest = useLatest()
/** What is kept, on the stage: fetched once for each state of it. */
async function display(first = false) {
  const shown = row.value
  if (!shown?.made || !clip.value) return
  const { clip_id, made: found } = shown
  const skeleton = clip.value.skeleton_id
  await nextTick()
  await latest(
    () =>
      bones.value ? fetchPositions(`/api/library/clips/${clip_id}/positions`) : open(clip_id, skeleton, height.value),
    (positions) => {
      if (!positions || trial.value) return
      show(positions, found, madeAt(), true)
      if (first) go(route.query.frame === undefined ? 0 : Number(route.query.frame) || 0)
      if (first || isOut()) look(frame.value)
      stage.value?.setFrame(frame.value)
    },
  )
}
/** The chosen join's place among those that were made, of which seams of repeated spans are some. */
const madeAt = () => made.value?.joins.findIndex((join) => join.number === chosen.value) ?? -1
async function start() {
  close()
  bones.value = null
  if (!library.loaded) await library.load().catch(messages.fail)
  await load()
  if (row.value && !clip.value) await library.load().catch(messages.fail)
  await display(true).catch(messages.fail)
}
watch(
  () => row.value && [row.value.lock_version, row.value.made?.frames, row.value.outdated.join()].join('|'),
  (_, before) => before && void display().catch(messages.fail),
)
/** A hand draws: the join at once, everything else when it rests. */
watch(trial, (now) => {
  if (now) show(now.positions, now.made, madeAt(), false)
  else void display().catch(messages.fail)
  stage.value?.setFrame(frame.value)
})
watch(chosen, () => void display().catch(messages.fail))
/** Another join, and a moment before it. */
function choose(join: number) {
  chosen.value = Math.max(0, Math.min(joins.value - 1, join))
}
function toJoin(by: number) {
  choose(chosen.value + by)
  const at = made.value?.joins[madeAt()]
  if (at) go(Math.max(0, at.middle))
}
/** Of the join as it is, whose candidates may be on their way. */
async function takeCandidate(by: number) {
  await nextTick().then(() => pane.value?.found())
  const [now, list] = [splice.value, candidates.value.filter((each) => each.cost !== null)]
  if (!now || !list.length || !row.value) return
  const [out, into] = placeOf(now, chosen.value, row.value.clips, fps.value)
  const at = list.findIndex((each) => each.out === out && each.into === into)
  const next = list[(at + by + list.length) % list.length]
  void keep(joinedAt(now, chosen.value, next.out, next.into, fps.value))
}
const toBoard = () => router.push({ path: '/board', query: { find: row.value?.name } })

usePlayerKeys(player, frames)
useShortcuts('Splice', {
  next: () => toJoin(1),
  previous: () => toJoin(-1),
  candidate: () => takeCandidate(1),
  candidateBefore: () => takeCandidate(-1),
  map: () => void (leaf.value = leaf.value === 'map' ? 'candidates' : 'map'),
  follow: () => void (follow.value = !follow.value),
  frameAll: () => look(frame.value),
  undo: () => void undo(),
  redo: () => void redo(),
  letGo: () => {
    if (!trial.value) return false
    letGo()
  },
})
watch(frame, (at) => stage.value?.setFrame(at))
useAddress({
  join: () => String(chosen.value || ''),
  frame: () => (playing.value || frames.value < 2 ? undefined : String(frame.value)),
})
watch(
  () => theme.global.name.value,
  () => void start(),
  { flush: 'post' },
)
useChanges().on(['splices', 'library'], () => void load())
onMounted(() => void start())
onBeforeUnmount(close)
</script>

<template>
  <div v-if="lost" class="view">
    <div class="empty">
      <h1>This splice is no longer there</h1>
      <v-btn to="/library">To the library</v-btn>
    </div>
  </div>
  <div v-else-if="row && splice" class="view">
    <section class="workspace">
      <div class="bar">
        <router-link class="quiet way" :to="`/library?clip=${row.clip_id}`">Library</router-link>
        <h1 :title="row.name">{{ row.name }}</h1>
        <span v-if="clip?.retired" class="quiet">retired</span>
        <span v-if="row.outdated.length && !row.problem" class="quiet" role="status"
          >{{ row.outdated.join(', ') }} changed; being made anew …</span
        >
        <span class="space"></span>
        <label class="tick"><input v-model="inked" type="checkbox" /> Poses</label>
        <label class="tick"><input v-model="follow" type="checkbox" /> Camera follows</label>
        <router-link class="word" :to="`/library/clips/${row.clip_id}`">Refine it</router-link>
        <v-btn size="small" @click="toBoard">To the board</v-btn>
      </div>
      <p v-if="row.problem" class="problem" role="alert">
        {{ row.problem }} The splice stays as it was made last.
        <button class="plain word" @click="rearrange(allPlaced(splice))">Place its joins anew</button>
      </p>
      <StageCanvas v-model:canvas="canvas" :stage="stage" label="The whole of the splice on its path" />
      <TransportBar :player="player" :frames="frames" :fps="fps">
        <span v-if="made" class="quiet findings" role="status">{{ made.findings[0] ?? 'every join is good' }}</span>
      </TransportBar>
      <SpanTimes
        v-if="made"
        :splice="splice"
        :made="made"
        :parts="row.clips"
        :frame="frame"
        :chosen="chosen"
        @try="attempt"
        @keep="keep"
        @frame="go"
        @choose="choose"
        @move="(at, by) => rearrange(spanMoved(splice!, at, by))"
        @remove="(at) => rearrange(spanRemoved(splice!, at))"
      />
    </section>
    <SplicePane
      ref="pane"
      v-model:leaf="leaf"
      v-model:candidates="candidates"
      :row="row"
      :splice="splice"
      :made="made"
      :bones="bones"
      :chosen="chosen"
      :undoable="undoable"
      :redoable="redoable"
      @try="attempt"
      @keep="keep"
      @rearrange="rearrange"
      @choose="choose"
      @undo="undo"
      @redo="redo"
    />
  </div>
</template>

<style scoped>
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
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
  white-space: nowrap;
}
.word {
  font-size: 14px;
  white-space: nowrap;
}
.problem {
  padding: 6px 18px;
  color: var(--wrong);
  font-size: 14px;
}
.findings {
  font-size: 13.5px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
