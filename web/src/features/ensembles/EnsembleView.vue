<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'

import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useAddress } from '@/shared/useAddress'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import CastingState from './CastingState.vue'
import EnsemblePane from './EnsemblePane.vue'
import PlacementHandles from './PlacementHandles.vue'
import MeetingTies from './MeetingTies.vue'
import { performedOf, placementAt, recordedOf, withKey } from './ensembles'
import { useEnsemble } from './useEnsemble'
import { useEnsembleStage } from './useEnsembleStage'

const route = useRoute()
const theme = useTheme()
const library = useLibrary()
const messages = useMessages()

/** This view is made anew for another ensemble. */
const id = Number(route.params.id)
const casting = ref(Number(route.query.casting) || 0)
const begun = Number(route.query.frame) || 0
const chosen = ref(0)
const ensemble = useEnsemble(id, casting)
const { row, cast, measures, lost, frames, busy } = ensemble
const canvas = ref<HTMLCanvasElement>()
const { stage, ribbons, shown, loading, show, setFrame, standing, look, follow, close } = useEnsembleStage(canvas)
/** Who is placed otherwise. */
const placed = ref('')
const fps = computed(() => row.value?.fps ?? 30)
const player = usePlayer(frames, fps)
const { frame, playing, go } = player

let framed = ''
/** What is kept, on the stage: fetched once for each state of it. */
async function display() {
  const now = row.value
  if (!now || now.problem || (casting.value && !cast.value) || cast.value?.problem) return
  await nextTick()
  try {
    const [before, performed] = cast.value ? [null, performedOf(now, cast.value)] : [recordedOf(now), null]
    if (!(await show(before, performed, frame.value))) return
    const whose = `${casting.value}`
    if (framed !== whose) look()
    follow()
    framed = whose
  } catch (problem) {
    messages.fail(problem)
  }
}
watch(
  () => row.value?.performers.join(),
  () => {
    if (row.value && !row.value.performers.includes(placed.value)) placed.value = row.value.performers[0] ?? ''
  },
)
watch(
  () =>
    [
      row.value?.lock_version,
      casting.value,
      cast.value?.id,
      cast.value?.lock_version,
      JSON.stringify(measures.value),
      JSON.stringify(cast.value?.cast),
    ].join('|'),
  () => void display(),
)
async function start() {
  close()
  framed = ''
  if (!library.loaded) await library.load().catch(messages.fail)
  if (!useCast().loaded) await useCast().load().catch(messages.fail)
  await ensemble.load()
  await ensemble.loadCast()
  await display()
  if (begun) go(begun)
}
watch(frame, (at) => setFrame(at))
useAddress({
  casting: () => String(casting.value || ''),
  frame: () => (playing.value || frames.value < 2 ? undefined : String(frame.value)),
})
function toMeeting(by: number) {
  const meetings = row.value?.meetings ?? []
  if (!meetings.length) return
  chosen.value = (chosen.value + by + meetings.length) % meetings.length
  const { first, last } = meetings[chosen.value]
  go(Math.round((first + last) / 2) - row.value!.first)
}
function setRange(number: number, first: number, last: number) {
  const meetings = row.value!.meetings.map((each, n) => (n === number ? { ...each, first, last, by_hand: true } : each))
  void ensemble.change({ meetings })
}
/** Somebody moved and turned in this frame, on top of what is said of it or comes between two keys. */
function place(name: string, [x, z]: [number, number], degrees: number) {
  if (!cast.value || !row.value) return
  const at = frame.value + row.value.first
  const keys = cast.value.placements[name]
  const now = placementAt(keys, at, cast.value.ease * row.value.fps)
  const rounded = (value: number, steps: number) => Math.round(value * steps) / steps
  const next = withKey(keys, at, {
    at: [rounded(now.at[0] + x, 1000), rounded(now.at[1] + z, 1000)],
    turn: rounded(now.turn + degrees, 10),
  })
  void ensemble.recast({ placements: { ...cast.value.placements, [name]: next } })
}
function nextCasting() {
  const all = [0, ...(row.value?.castings.map((each) => each.id) ?? [])]
  casting.value = all[(all.indexOf(casting.value) + 1) % all.length]
}
usePlayerKeys(player, frames)
useShortcuts('Ensemble', {
  next: () => toMeeting(1),
  previous: () => toMeeting(-1),
  casting: nextCasting,
  frameAll: () => {
    look()
    follow()
  },
  undo: () => void ensemble.undo(),
  redo: () => void ensemble.redo(),
})
watch(
  () => theme.global.name.value,
  () => void start(),
  { flush: 'post' },
)
useChanges().on(['ensembles', 'library', 'fittings', 'cast'], () => void ensemble.refresh())
onMounted(() => void start())
onBeforeUnmount(close)
</script>

<template>
  <div v-if="lost" class="view">
    <div class="empty">
      <h1>This ensemble is no longer there</h1>
      <v-btn to="/ensembles">To the ensembles</v-btn>
    </div>
  </div>
  <div v-else-if="row" class="view">
    <section class="workspace">
      <div class="bar">
        <router-link class="quiet way" to="/ensembles">Ensembles</router-link>
        <h1 :title="row.name">{{ row.name }}</h1>
        <span class="quiet">{{ cast ? cast.name : 'as recorded' }}</span>
        <span class="space"></span>
        <CastingState
          v-if="cast"
          :casting="cast.id"
          :version="`${row.lock_version}.${cast.lock_version}`"
          :disabled="!!cast.problem || busy > 0"
        />
      </div>
      <p v-if="row.problem" class="problem" role="alert">{{ row.problem }}</p>
      <StageCanvas
        v-model:canvas="canvas"
        :stage="stage"
        :loading="loading ? 'Looking …' : ''"
        label="Everybody and everything of the ensemble in one space"
      >
        <PlacementHandles
          v-if="stage && cast && !playing"
          :stage="stage"
          :performers="row.performers"
          :chosen="placed"
          :standing="standing"
          :disabled="busy > 0 || loading"
          @choose="placed = $event"
          @placed="place"
          @held="(now) => (now ? stage?.setFollowed(null) : follow())"
        />
      </StageCanvas>
      <TransportBar :player="player" :frames="frames" :fps="fps" />
      <PoseRibbon
        v-if="ribbons.length || !row.problem"
        :frames="frames"
        :fps="fps"
        :frame="frame"
        :rows="ribbons"
        :expected="row.performers.length"
        :shown="shown"
        @frame="go"
      />
      <MeetingTies
        :row="row"
        :measures="measures"
        :frames="frames"
        :frame="frame"
        :chosen="chosen"
        @choose="chosen = $event"
        @range="setRange"
      />
    </section>
    <EnsemblePane
      v-model:casting="casting"
      v-model:chosen="chosen"
      v-model:placed="placed"
      :row="row"
      :cast="cast"
      :measures="measures"
      :frame="frame"
      :busy="busy > 0"
      :undoable="ensemble.undoable.value"
      :redoable="ensemble.redoable.value"
      @change="ensemble.change"
      @bring="ensemble.bring"
      @recast="ensemble.recast"
      @play="ensemble.play"
      @remove="ensemble.remove"
      @frame="go"
      @undo="ensemble.undo"
      @redo="ensemble.redo"
    />
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 10px 18px;
}
h1 {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.problem {
  padding: 6px 18px;
  color: var(--wrong);
  font-size: 14px;
}
</style>
