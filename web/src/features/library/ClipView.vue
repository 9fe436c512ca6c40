<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client } from '@/api/client'
import { openFitting } from '@/features/fitting/open'
import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { usePlayerKeys } from '@/shared/player/usePlayerKeys'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useHistory } from '@/shared/useHistory'
import { useLibrary, type ClipChange } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import ClipFacts from './ClipFacts.vue'
import { useClipStage } from './useClipStage'

type Range = [first: number, last: number]

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const messages = useMessages()

/** This view is made anew for another clip. */
const id = Number(route.params.id)
const clip = computed(() => library.clip(id))
const height = computed(() => library.skeletons.find((body) => body.id === clip.value?.skeleton_id)?.height ?? 1.7)
const canvas = ref<HTMLCanvasElement>()
const { stage, bones, frames, fps, rows, shown, follow, open, close, look } = useClipStage(canvas, height)
const range = ref<Range>([0, 0])
const player = usePlayer(frames, fps, range)
const { frame, playing, loop, go, step } = player

async function start() {
  close()
  playing.value = false
  if (!library.loaded) await library.load().catch(messages.fail)
  if (!clip.value) return
  range.value = [clip.value.first, clip.value.last]
  await nextTick()
  try {
    if (!(await open(clip.value))) return
    go(clip.value.first)
    look(frame.value)
  } catch (problem) {
    messages.fail(problem)
  }
}
/** base: the version that it was begun on. */
const change = (wanted: ClipChange, base?: number) =>
  messages.attempt(
    (again) => library.change(id, wanted, again ? undefined : base),
    () => library.look(id),
  )

const kept = computed<Range>(() => [clip.value?.first ?? 0, clip.value?.last ?? 0])
const trimmed = computed(() => !!clip.value && `${range.value}` !== `${kept.value}`)
/** The version that the range was first drawn on: what others keep of the clip meanwhile is not written over. */
const drawnOn = ref<number>()
watch(trimmed, (now) => (drawnOn.value = now ? clip.value?.lock_version : undefined))
watch(kept, (now, before) => {
  if (`${range.value}` === `${before}`) range.value = now
})
/** Keep these frames of the take; returns those that were kept before. */
async function keep([first, last]: Range): Promise<Range> {
  const before = kept.value
  await library.change(id, { first, last }, drawnOn.value)
  range.value = [first, last]
  return before
}
const trims = useHistory<Range>(keep, `armuto.trims.${id}`)
const trim = () =>
  trimmed.value &&
  messages.attempt(
    async (again) => {
      if (again) drawnOn.value = undefined
      await trims.inOrder(async () => trims.remember(await keep(range.value)))
    },
    () => library.look(id),
  )
const undo = () => trims.undo().catch(messages.fail)
const redo = () => trims.redo().catch(messages.fail)
function wholeTake() {
  range.value = [0, clip.value!.take_frames - 1]
  void trim()
}
async function cut() {
  const whole = clip.value
  if (!whole) return
  const body = { first: range.value[0], last: range.value[1], name: whole.name }
  try {
    const made = await answer(
      client.POST('/api/library/clips/{clip_id}/segments', { params: { path: { clip_id: id } }, body }),
    )
    await library.load()
    range.value = [whole.first, whole.last]
    messages.say(`Cut “${made.name}” from the same take.`, { label: 'Open it', path: `/library/clips/${made.id}` })
  } catch (problem) {
    messages.fail(problem)
  }
}
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
    trims.forget()
    messages.say(`“${made.name}” is now at version ${made.revision}; what was made from it is out of date.`)
    await start()
  } catch (problem) {
    messages.fail(problem)
  }
}
async function drop(event: DragEvent) {
  const files = [...(event.dataTransfer?.files ?? [])]
  if (!files.length) return
  event.preventDefault()
  await newVersion(files)
}
const perform = (character: number) => openFitting(router, id, character).catch(messages.fail)
const timeOf = (at: number) => `${at} · ${(at / fps.value).toFixed(2)} s`

usePlayerKeys(player, frames, range)
useShortcuts('Clip', {
  rangeFirst: () => (range.value = [Math.min(frame.value, range.value[1] - 1), range.value[1]]),
  rangeLast: () => (range.value = [range.value[0], Math.max(frame.value, range.value[0] + 1)]),
  frameAll: () => look(frame.value),
  undo: () => void undo(),
  redo: () => void redo(),
})
watch(frame, (now) => stage.value?.setFrame(now))
watch(
  () => theme.global.name.value,
  () => void start(),
  { flush: 'post' },
)
onMounted(() => void start())
onBeforeUnmount(close)
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
        <router-link class="quiet" :to="`/library?clip=${clip.id}`">Library</router-link>
        <h1>{{ clip.name }}</h1>
        <span v-if="clip.retired" class="quiet">retired</span>
        <span class="space"></span>
        <label class="follow"><input v-model="follow" type="checkbox" /> Camera follows</label>
      </div>
      <StageCanvas v-model:canvas="canvas" label="The clip on its skeleton" />
      <TransportBar
        v-model:playing="playing"
        v-model:loop="loop"
        :frame="frame"
        :frames="frames"
        :fps="fps"
        @step="step"
      >
        <span class="mono quiet range" :title="`${timeOf(range[0])} to ${timeOf(range[1])}`"
          >range {{ range[0] }} to {{ range[1] }}</span
        >
        <v-btn
          size="small"
          :disabled="!trimmed"
          title="The range becomes a clip of its own, from the same take"
          @click="cut"
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
      </TransportBar>
      <PoseRibbon
        :frames="frames"
        :fps="fps"
        :frame="frame"
        :rows="rows"
        :shown="shown"
        :range="range"
        @frame="go"
        @range="(first, last) => (range = [first, last])"
      />
    </section>
    <ClipFacts
      :clip="clip"
      :evidence="bones?.evidence ?? []"
      :undoable="trims.undoable.value"
      :redoable="trims.redoable.value"
      :change="change"
      @undo="undo"
      @redo="redo"
      @whole-take="wholeTake"
      @new-version="newVersion"
      @perform="perform"
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
.follow {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
}
.follow input {
  accent-color: var(--accent);
}
.range {
  font-size: 13px;
  white-space: nowrap;
}
</style>
