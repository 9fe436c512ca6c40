<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client, type Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { useBoard, type State } from '@/stores/board'
import { useCast } from '@/stores/cast'
import { useChoice } from '@/stores/choice'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import type { Rendition } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'
import FindingRows from './FindingRows.vue'
import OntoDialog from './OntoDialog.vue'
import { useReviewStage, type Against } from './useReviewStage'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const messages = useMessages()
const board = useBoard()
const choice = useChoice()
const canvas = ref<HTMLCanvasElement>()
const { stage, frames, fps, loading, rows, shown, open, close, show, place, dress } = useReviewStage(canvas)
const { frame, playing, loop, go } = usePlayer(frames, fps)

const queue = ref<Schemas['QueueRow'][] | null>(null)
const row = ref<Rendition | null>(null)
const others = ref<Rendition[]>([])
const against = ref<Against>('source')
const beside = ref(true)
const mesh = ref(true)
const bones = ref(false)
const noting = ref(false)
const putting = ref(false)
const note = ref('')
const noteBox = ref<HTMLInputElement>()
const apart = ref<number[]>([])

const id = computed(() => Number(route.params.id) || queue.value?.[0]?.id)
const at = computed(() => queue.value?.findIndex((one) => one.id === id.value) ?? -1)
/** What is judged: known from the queue at once, while the rest of it is still being fetched. */
const current = computed(() => queue.value?.[at.value] ?? row.value)
const findings = computed(() => row.value?.newest?.findings ?? [])
const steps = computed(() => [...new Set(findings.value.filter((one) => one.unit).flatMap((one) => one.spans.map(([first]) => first)))].sort((a, b) => a - b))
const old = computed(() => (row.value?.revisions ?? []).filter((one) => one.id !== row.value?.newest?.id))
const left = computed(() => queue.value?.filter((one) => one.state !== 'accepted' && !one.note).length ?? 0)

async function loadQueue() {
  queue.value = await answer(client.POST('/api/renditions/queue', { body: { cells: choice.cells.length ? choice.cells : null, everything: false } }))
}
async function load(look = true) {
  if (!id.value) return void (row.value = null)
  row.value = await answer(client.GET('/api/renditions/{rendition_id}', { params: { path: { rendition_id: id.value } } }))
  if (look) await onto(true)
}
/** What is chosen, onto the stage. */
async function onto(fresh = false) {
  const one = row.value
  if (!one?.newest) return
  if (!stage.value) {
    await nextTick()
    await open()
  }
  if (against.value === 'cast') {
    const found = await Promise.all(useCast().present.filter((who) => who.id !== one.character_id).map((who) => answer(client.GET('/api/renditions/cell', { params: { query: { clip_id: one.clip_id, character_id: who.id } } }))))
    others.value = found.filter((other): other is Rendition => !!other?.newest)
  }
  const asked = fresh && route.query.frame !== undefined ? Number(route.query.frame) : null
  if (fresh) playing.value = false
  await show(one, against.value, others.value, asked ?? (fresh ? (steps.value[0] ?? 0) : frame.value), beside.value)
  go(stage.value?.frame ?? 0)
  dress(mesh.value, bones.value)
  const other = against.value
  apart.value = typeof other === 'number' && one.newest
    ? await answer(client.GET('/api/renditions/{rendition_id}/difference', { params: { path: { rendition_id: one.id }, query: { a: other, b: one.newest.id } } }))
    : []
}
const compare = (now: Against) => {
  against.value = now
  void onto().catch(messages.fail)
}
const furthest = computed(() => {
  const most = Math.max(...apart.value)
  return apart.value.length ? { most, frame: apart.value.indexOf(most) } : null
})

function to(index: number) {
  const next = queue.value?.[index]
  if (next) void router.replace(`/review/${next.id}`)
}
const step = (by: number) => to(Math.min(Math.max(at.value + by, 0), (queue.value?.length ?? 1) - 1))
/** The next one that nobody has judged yet. */
function onwards() {
  const all = queue.value ?? []
  const open = (one: Schemas['QueueRow']) => one.state !== 'accepted' && !one.note
  const next = [...all.slice(at.value + 1), ...all.slice(0, at.value)].findIndex(open)
  if (next < 0) return
  to((at.value + 1 + next) % all.length)
}
/** After a judgement: on to the next, unless somebody has gone on already. */
async function judged(which: number) {
  await loadOwn()
  if (id.value === which) onwards()
  await nextTick()
  if (row.value?.id === which) await load(false)
}
/** The queue keeps its order while it is worked through; only what it says of each is looked up again. */
async function loadOwn() {
  const now = await answer(client.POST('/api/renditions/queue', { body: { cells: (queue.value ?? []).map((one) => [one.clip_id, one.character_id] as [number, number]), everything: false } }))
  const by = new Map(now.map((one) => [one.id, one]))
  queue.value = (queue.value ?? []).map((one) => by.get(one.id) ?? one)
}
/** One judgement after another, each of what was looked at when it was made. */
let acting: Promise<unknown> = Promise.resolve()
function act(what: (one: NonNullable<typeof current.value>) => Promise<unknown>) {
  const one = current.value
  if (one) acting = acting.then(() => what(one)).catch(messages.fail)
}
const accept = () =>
  act(async ({ id: which, clip_id, character_id, state }) => {
    const done = await board.accept([[clip_id, character_id]])
    if (!done && state !== 'accepted') messages.say('It is out of date; bring it up to date before it is accepted.')
    await judged(which)
  })
const update = () => act(({ clip_id, character_id }) => board.transfer([[clip_id, character_id]]))
async function startNote() {
  noting.value = true
  note.value = current.value?.note ?? ''
  await nextTick()
  noteBox.value?.focus()
}
function sendBack() {
  const text = note.value
  noting.value = false
  act(async ({ id: which }) => {
    await board.sendBack(which, text)
    await judged(which)
  })
}
const toFitting = () => current.value && router.push(`/fittings/${current.value.fitting_id}?clip=${current.value.clip_id}&leaf=transfer&frame=${frame.value}`)
async function takeBack(redo: boolean) {
  await (redo ? board.redo() : board.undo())
  await Promise.all([loadOwn(), load(false)])
}

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (target.closest('input, textarea, select, [role="dialog"]')) {
    if (event.key === 'Escape') noting.value = false
    return
  }
  const key = event.key
  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === 'z') void takeBack(event.shiftKey).catch(messages.fail)
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (key === ' ') {
    if (target.closest('button, a')) return
    playing.value = !playing.value
  } else if (key === 'ArrowRight' && event.shiftKey) go(steps.value.find((one) => one > frame.value) ?? frame.value)
  else if (key === 'ArrowLeft' && event.shiftKey) go([...steps.value].reverse().find((one) => one < frame.value) ?? frame.value)
  else if (key === 'ArrowRight' || key === 'ArrowLeft') stepFrame(key === 'ArrowRight' ? 1 : -1)
  else if (key === 'ArrowDown' || key === 'n') step(1)
  else if (key === 'ArrowUp' || key === 'p') step(-1)
  else if (key === 'Home') go(0)
  else if (key === 'End') go(frames.value - 1)
  else if (key === 'a') accept()
  else if (key === 's') void startNote()
  else if (key === 'g') void toFitting()
  else if (key === 'o') beside.value = !beside.value
  else if (key === 'm') mesh.value = !mesh.value
  else if (key === 'b') bones.value = !bones.value
  else if (key === 'f') place(beside.value, true)
  else return
  event.preventDefault()
}
function stepFrame(by: number) {
  playing.value = false
  go(frame.value + by)
}
watch(frame, (now) => stage.value?.setFrame(now))
watch(beside, (now) => place(now, true))
watch([mesh, bones], () => dress(mesh.value, bones.value))
watch(id, (now, before) => {
  if (!now || now === before) return
  against.value = 'source'
  noting.value = false
  void load().catch(messages.fail)
})
watch(() => useRuns().moved, async () => {
  const was = row.value?.newest?.id
  await load(false).catch(messages.fail)
  if (row.value?.newest?.id !== was) await Promise.all([onto(), loadOwn()]).catch(messages.fail)
})
watch(() => theme.global.name.value, async () => {
  close()
  await onto()
}, { flush: 'post' })
onMounted(async () => {
  window.addEventListener('keydown', onKey)
  try {
    if (!useLibrary().loaded) await useLibrary().load()
    if (!useCast().loaded) await useCast().load()
    await loadQueue()
    await load()
  } catch (problem) {
    messages.fail(problem)
  }
})
onBeforeUnmount(() => {
  window.removeEventListener('keydown', onKey)
  close()
})
function all() {
  choice.cells = []
  void loadQueue().catch(messages.fail)
}
</script>

<template>
  <div v-if="queue && !queue.length && !row" class="view">
    <div class="empty">
      <h1>Nothing waits for a look</h1>
      <p>Results are reviewed here, the worst findings first. Transfer clips on the board, or sweep there what is to be looked at.</p>
      <v-btn class="doing" to="/board">To the board</v-btn>
    </div>
  </div>
  <div v-else class="view">
    <aside class="pane queue" aria-label="What waits for a look">
      <div class="top">
        <h1>Review</h1>
        <span class="quiet">{{ left === 1 ? 'one waits' : `${left} wait` }}<template v-if="choice.cells.length">, as swept · <button class="plain word" @click="all">all instead</button></template></span>
      </div>
      <ol>
        <li v-for="(one, n) in queue ?? []" :key="one.id">
          <button class="plain row" :aria-current="n === at" @click="to(n)">
            <StateMark :state="one.state === 'accepted' ? 'accepted' : one.state === 'out of date' ? 'out of date' : (one.grade as State)" />
            <span class="what"><span>{{ one.clip }} <span class="quiet">on {{ one.character }}</span></span><span class="quiet small">{{ one.note ? `Sent back: ${one.note}` : one.worst || 'no findings' }}</span></span>
          </button>
        </li>
      </ol>
    </aside>
    <section class="work">
      <div v-if="row" class="bar">
        <h1>{{ row.clip }} <span class="quiet">on {{ row.character }}</span></h1>
        <span class="state"><StateMark :state="row.state as State" :kept="!!row.accepted_id" /> {{ row.state }}</span>
        <span class="space"></span>
        <v-btn v-if="row.state === 'out of date'" size="small" class="doing" @click="update">Bring up to date</v-btn>
        <v-btn v-else size="small" :class="{ doing: row.state !== 'accepted' }" :disabled="row.state === 'accepted' || !row.newest" title="A" @click="accept">Accept</v-btn>
        <v-btn size="small" :disabled="!row.newest" title="S" @click="startNote">Send back</v-btn>
        <v-btn size="small" title="G" @click="toFitting">Fitting at this frame</v-btn>
        <v-btn size="small" :disabled="!row.newest" @click="putting = true">Into a file</v-btn>
        <v-btn size="small" title="N" @click="step(1)">Next</v-btn>
      </div>
      <form v-if="noting" class="noting" @submit.prevent="sendBack">
        <label for="note">What is to be mended</label>
        <input id="note" ref="noteBox" v-model="note" maxlength="1000" autocomplete="off" />
        <v-btn size="small" type="submit" class="doing" :disabled="!note.trim()">Send back</v-btn>
        <button type="button" class="plain word" @click="noting = false">Leave it</button>
      </form>
      <p v-else-if="row?.note" class="noted">Sent back: {{ row.note }}</p>
      <p v-if="row?.state === 'out of date'" class="noted">{{ row.changed.join(' and ') }} changed since it was made.</p>
      <div v-if="row" class="bar ways">
        <span class="quiet">beside</span>
        <div class="choice" role="group" aria-label="What it is compared with">
          <button :aria-pressed="against === 'source'" @click="compare('source')">Source</button>
          <button v-for="one in old" :key="one.id" :aria-pressed="against === one.id" @click="compare(one.id)">{{ one.id === row.accepted_id ? 'Accepted' : 'Earlier' }}, result {{ one.number }}</button>
          <button :aria-pressed="against === 'cast'" @click="compare('cast')">All who perform it</button>
        </div>
        <div class="choice" role="group" aria-label="How they stand">
          <button :aria-pressed="beside" @click="beside = true">Side by side</button>
          <button :aria-pressed="!beside" @click="beside = false">Over each other</button>
        </div>
        <label><input v-model="mesh" type="checkbox" /> Mesh</label>
        <label><input v-model="bones" type="checkbox" /> Bones</label>
        <span v-if="furthest" class="quiet">furthest apart <span class="mono">{{ furthest.most.toFixed(1) }} cm</span> at <button class="plain word mono" @click="go(furthest.frame)">frame {{ furthest.frame }}</button></span>
      </div>
      <div class="stage">
        <canvas ref="canvas" tabindex="-1" aria-label="Source and result under one camera"></canvas>
        <p v-if="loading" class="quiet loading" role="status">{{ loading }}</p>
      </div>
      <OntoDialog v-if="row" v-model="putting" :rendition-id="row.id" :clip="row.clip" :character="row.character" />
      <FindingRows :findings="findings" :frame="frame" @show="(to, laid) => { playing = false; if (laid) beside = false; go(to) }" />
      <TransportBar v-model:playing="playing" v-model:loop="loop" :frame="frame" :frames="frames" :fps="fps" @step="stepFrame" />
      <PoseRibbon :frames="frames" :fps="fps" :frame="frame" :rows="rows" :shown="shown" :findings="findings" @frame="go" />
    </section>
  </div>
</template>

<style scoped>
.queue { width: 312px; display: flex; flex-direction: column; overflow: hidden; }
.top { padding: 12px 16px 8px; display: flex; gap: 10px; align-items: baseline; flex-wrap: wrap; border-bottom: 1px solid var(--hairline); font-size: 14px; }
ol { list-style: none; margin: 0; padding: 0; overflow-y: auto; flex: 1; }
.row { display: flex; gap: 10px; width: 100%; padding: 7px 16px; border-bottom: 1px solid var(--hairline); align-items: flex-start; content-visibility: auto; contain-intrinsic-size: 56px; }
.row .mark { margin-top: 3px; }
.row:hover, .row[aria-current='true'] { background: rgb(var(--v-theme-surface-variant)); }
.what { display: grid; min-width: 0; }
.small { font-size: 13px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.work { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 10px; padding: 8px 18px; flex-wrap: wrap; background: var(--panel); }
.ways { padding-top: 0; font-size: 14px; border-bottom: 1px solid var(--hairline); }
.ways label { display: inline-flex; gap: 5px; align-items: center; min-height: 24px; }
.state { display: inline-flex; gap: 6px; align-items: center; }
.space { flex: 1; }
.noting { display: flex; gap: 10px; align-items: center; padding: 0 18px 8px; background: var(--panel); font-size: 14px; }
.noting input { flex: 1; border: 1px solid var(--hairline); border-radius: 3px; background: var(--paper); color: inherit; font: inherit; padding: 3px 8px; min-height: 28px; }
.noted { padding: 0 18px 6px; background: var(--panel); color: var(--wrong); font-size: 14px; }
.stage { position: relative; flex: 1; min-height: 160px; overflow: hidden; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; touch-action: none; cursor: grab; }
.loading { position: absolute; left: 18px; bottom: 10px; }
.ribbon { border-top: 1px solid var(--hairline); }
@media (max-width: 1150px) { .queue { width: 250px; } }
</style>
