<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client, octets } from '@/api/client'
import { treeFor, type StageModule } from '@/features/fitting/figures'
import { openFitting } from '@/features/fitting/open'
import FileButton from '@/shared/frame/FileButton.vue'
import { usePlayer } from '@/shared/player/player'
import PoseRibbon, { type RibbonRow } from '@/shared/player/PoseRibbon.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { MOTION } from '@/stores/arrivals'
import { likeliest } from '@/stores/bodies'
import { useCast, type Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { floorOf, UPS } from './choices'
import Detected from './Detected.vue'
import TagEditor from './TagEditor.vue'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const cast = useCast()
const messages = useMessages()
const canvas = ref<HTMLCanvasElement>()
const stage = shallowRef<ReturnType<StageModule['openStage']>>()
const bones = ref<Bones | null>(null)
const frames = ref(1)
const fps = ref(30)
const rows = shallowRef<RibbonRow[]>([])
const shown = ref<number[]>([])
const range = ref<[number, number]>([0, 0])
const follow = ref(true)
const { frame, playing, loop, go } = usePlayer(frames, fps, range)
let module: StageModule | undefined
/** Trims that can be taken back, and those taken back, kept across a reload. */
const past = ref<[number, number][]>([])
const future = ref<[number, number][]>([])

const id = computed(() => Number(route.params.id))
const clip = computed(() => library.clip(id.value))
const body = computed(() => library.skeletons.find((one) => one.id === clip.value?.skeleton_id))
const known = computed(() => [...new Set(library.clips.flatMap((one) => one.tags))].sort())
const trimmed = computed(() => !!clip.value && (range.value[0] !== clip.value.first || range.value[1] !== clip.value.last))
const segments = computed(() => library.clips.filter((one) => one.segment_of_id === id.value))
const parent = computed(() => (clip.value?.segment_of_id ? library.clip(clip.value.segment_of_id) : undefined))
const store = () => `armuto.trims.${id.value}`

async function open() {
  if (!library.loaded) await library.load().catch(messages.fail)
  const row = clip.value
  if (!row) return
  try {
    const kept = JSON.parse(sessionStorage.getItem(store()) ?? '{}')
    past.value = kept.past ?? []
    future.value = kept.future ?? []
  } catch {
    past.value = []
  }
  range.value = [row.first, row.last]
  await nextTick()
  module ??= await import('@/stage')
  if (!canvas.value) return
  const now = (stage.value = module.openStage(canvas.value))
  try {
    const [tree, motion] = await Promise.all([cast.skeleton(row.skeleton_id), octets(`/api/library/clips/${row.id}/take`)])
    if (stage.value !== now) return
    bones.value = tree
    const [count, points] = motion.blocks[0].shape
    const drawn = treeFor(module, tree)
    now.addSource('source', new module.BoneLines(drawn, now.palette, body.value?.height ?? 1.7), { frames: count, points, values: motion.blocks[0].values })
    frames.value = count
    fps.value = motion.fps
    ribbon(drawn)
    go(row.first)
    look()
  } catch (problem) {
    messages.fail(problem)
  }
}
function ribbon(tree: ReturnType<typeof treeFor>) {
  const now = stage.value
  const source = now?.source('source')
  if (!now || !source) return
  const count = Math.min(frames.value, 18)
  shown.value = Array.from({ length: count }, (_, n) => Math.round((n * (frames.value - 1)) / Math.max(1, count - 1)))
  const poses = shown.value.map((at) => {
    now.setFrame(at)
    return source.positions.slice()
  })
  rows.value = [{ poses, parents: tree.parents, sides: tree.sides }]
}
const hips = computed(() => Math.max(0, bones.value?.parts.indexOf('hips') ?? 0))
function look() {
  const now = stage.value
  const source = now?.source('source')
  if (!now || !source) return
  now.setFrame(frame.value)
  // The middle of the body as it stands, wide enough for long ones, and as high as it ever comes.
  const [low, high] = [0, 2].reduce<[number[], number[]]>(
    ([lowest, highest], axis) => {
      const along = Array.from({ length: source.positions.length / 3 }, (_, n) => source.positions[n * 3 + axis])
      return [[...lowest, Math.min(...along)], [...highest, Math.max(...along)]]
    },
    [[], []],
  )
  const at = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2]
  const wide = Math.max(high[0] - low[0], high[1] - low[1])
  let top = body.value?.height ?? 1.7
  for (const row of rows.value) for (const pose of row.poses) for (let n = 1; n < pose.length; n += 3) top = Math.max(top, pose[n])
  now.floor.compassAt(high[0] + 0.6, at[1] + 0.2)
  const tall = Math.max(top * 1.12, wide * 1.15)
  // A low body is looked at lower down.
  now.frameBox(at[0], at[1], Math.max(1.5, wide * 1.7), tall, 28, 8, (0.44 * top * 1.12) / tall)
  now.setFollowed(follow.value ? () => source.object.position.clone().fromArray(source.positions, hips.value * 3) : null)
}
watch(follow, look)
watch(frame, (now) => stage.value?.setFrame(now))
watch(id, () => void start())
watch(
  () => theme.global.name.value,
  () => void start(),
  { flush: 'post' },
)
async function start() {
  stage.value?.dispose()
  stage.value = undefined
  playing.value = false
  await open()
}

async function change(wanted: Parameters<typeof library.change>[1]) {
  try {
    await library.change(id.value, wanted)
    return true
  } catch (problem) {
    messages.fail(problem)
    return false
  }
}
async function rename() {
  await change({ name: typedName.value })
  typedName.value = clip.value?.name ?? ''
}
function keepTrims() {
  sessionStorage.setItem(store(), JSON.stringify({ past: past.value, future: future.value }))
}
async function trim() {
  const row = clip.value
  if (!row || !trimmed.value) return
  const before: [number, number] = [row.first, row.last]
  if (await change({ first: range.value[0], last: range.value[1] })) {
    past.value.push(before)
    future.value = []
    keepTrims()
  }
}
async function back(again = false) {
  const row = clip.value
  const [from, to] = again ? [future.value, past.value] : [past.value, future.value]
  const wanted = from.pop()
  if (!row || !wanted) return
  to.push([row.first, row.last])
  if (await change({ first: wanted[0], last: wanted[1] })) range.value = wanted
  keepTrims()
}
async function cut() {
  const row = clip.value
  if (!row) return
  try {
    const made = await answer(
      client.POST('/api/library/clips/{clip_id}/segments', { params: { path: { clip_id: row.id } }, body: { first: range.value[0], last: range.value[1], name: row.name } }),
    )
    await library.load()
    range.value = [row.first, row.last]
    messages.say(`Cut “${made.name}” from the same take.`, { label: 'Open it', path: `/library/clips/${made.id}` })
  } catch (problem) {
    messages.fail(problem)
  }
}
async function newVersion(files: File[]) {
  const row = clip.value
  if (!row || !files.length) return
  const data = new FormData()
  data.append('file', files[0])
  try {
    const made = await answer(
      client.POST('/api/library/clips/{clip_id}/version', { params: { path: { clip_id: row.id } }, body: data as never, bodySerializer: (form) => form as never }),
    )
    await library.load()
    past.value = future.value = []
    keepTrims()
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
async function retire(on: boolean) {
  await change({ retired: on })
}
function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (target.closest('input, textarea, select, [role="dialog"]')) return
  const key = event.key
  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === 'z') void back(event.shiftKey)
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (key === ' ') {
    if (target.closest('button, a')) return
    playing.value = !playing.value
  } else if (key === 'ArrowRight') step(1)
  else if (key === 'ArrowLeft') step(-1)
  else if (key === 'Home') go(range.value[0])
  else if (key === 'End') go(range.value[1])
  else if (key === '[') range.value = [Math.min(frame.value, range.value[1] - 1), range.value[1]]
  else if (key === ']') range.value = [range.value[0], Math.max(frame.value, range.value[0] + 1)]
  else if (key === 'f') look()
  else return
  event.preventDefault()
}
function step(by: number) {
  playing.value = false
  go(frame.value + by)
}
const floor = computed(() => floorOf(clip.value?.ground, clip.value?.floor ?? null))
/** What was detected of the file's axes, as the skeleton keeps it. */
const up = computed(() => {
  const said = bones.value?.evidence ?? []
  const why = said[0] ?? ''
  return { value: /up is ([+-][XYZ])/.exec(why)?.[1] ?? '…', why: `${[why, ...said.slice(2)].filter(Boolean).join('. ')}. With another axis the file is read again, and waits in the intake; this clip stays as it is.` }
})
async function readAgain(axis: string) {
  try {
    await answer(client.POST('/api/intake/clips/{clip_id}', { params: { path: { clip_id: id.value } }, body: { up: axis === 'detect' ? null : axis } }))
    messages.say(`${clip.value?.take_name} is read again.`, { label: 'To the intake', path: '/library/intake' })
  } catch (problem) {
    messages.fail(problem)
  }
}
// What is typed is kept here, since whatever else is drawn anew would put the old text back into the fields.
const typedName = ref('')
watch(() => clip.value?.name ?? '', (name) => (typedName.value = name), { immediate: true })
const saidFloor = () => (clip.value?.floor == null ? '' : (clip.value.floor * 100).toFixed(1))
const typedFloor = ref('')
watch(saidFloor, (text) => (typedFloor.value = text), { immediate: true })
async function sayFloor() {
  const text = typedFloor.value.trim().replace(',', '.')
  const value = Number(text)
  if (text === '' || Number.isFinite(value)) await change({ floor: text === '' ? 'measured' : value / 100 })
  typedFloor.value = saidFloor()
}
const perform = (character: number) => openFitting(router, id.value, character).catch(messages.fail)
const said = (at: number) => `${at} · ${(at / fps.value).toFixed(2)} s`
onMounted(() => {
  window.addEventListener('keydown', onKey)
  void open()
})
onBeforeUnmount(() => {
  window.removeEventListener('keydown', onKey)
  stage.value?.dispose()
})
</script>

<template>
  <div v-if="library.loaded && !clip" class="view">
    <div class="empty">
      <h1>This clip is no longer there</h1>
      <v-btn to="/library">To the library</v-btn>
    </div>
  </div>
  <div v-else-if="clip" class="view" @dragover.prevent @drop="drop">
    <section class="work">
      <div class="bar">
        <router-link class="quiet" :to="`/library?clip=${clip.id}`">Library</router-link>
        <h1>{{ clip.name }}</h1>
        <span v-if="clip.retired" class="quiet">retired</span>
        <span class="space"></span>
        <label class="follow"><input v-model="follow" type="checkbox" /> Camera follows</label>
      </div>
      <div class="stage"><canvas ref="canvas" tabindex="-1" aria-label="The clip on its skeleton"></canvas></div>
      <TransportBar v-model:playing="playing" v-model:loop="loop" :frame="frame" :frames="frames" :fps="fps" @step="step">
        <span class="mono quiet range" :title="`${said(range[0])} to ${said(range[1])}`">range {{ range[0] }} to {{ range[1] }}</span>
        <v-btn size="small" :disabled="!trimmed" title="The range becomes a clip of its own, from the same take" @click="cut">Cut out</v-btn>
        <v-btn size="small" :class="{ doing: trimmed }" :disabled="!trimmed" title="The clip becomes this range; the take is kept" @click="trim">Trim</v-btn>
      </TransportBar>
      <PoseRibbon :frames="frames" :fps="fps" :frame="frame" :rows="rows" :shown="shown" :range="range" @frame="go" @range="(first, last) => (range = [first, last])" />
    </section>
    <aside class="pane facts" :aria-label="`About ${clip.name}`">
      <input v-model="typedName" class="name" aria-label="Name of the clip" @change="rename" @keydown.enter="($event.target as HTMLInputElement).blur()" />
      <TagEditor :tags="clip.tags" :known="known" :label="clip.name" @change="(tags) => change({ tags })" />
      <dl>
        <dt>skeleton</dt><dd>{{ body?.name }}</dd>
        <dt>length</dt><dd class="mono">{{ clip.frames }} f, {{ clip.seconds.toFixed(2) }} s</dd>
        <dt>take</dt><dd class="mono">{{ clip.take_frames }} f, kept {{ clip.first }} to {{ clip.last }}</dd>
        <dt>rate</dt><dd class="mono">{{ +clip.fps.toFixed(3) }} fps</dd>
        <dt>travel</dt><dd class="mono">{{ clip.travel < 0.05 ? 'stays' : `${(clip.travel * 100).toFixed(0)} cm` }}</dd>
        <dt>floor</dt>
        <dd>
          <Detected label="at" :value="floor.value" :evidence="floor.why" :told="clip.floor !== null" :doubt="floor.doubt" :choices="floor.choices" @choose="(at) => change({ floor: at === 'measured' ? 'measured' : Number(at) })" />
          <label class="centimetres"><input v-model="typedFloor" :placeholder="clip.ground.floor == null ? '' : (clip.ground.floor * 100).toFixed(1)" inputmode="decimal" aria-label="Height of the floor, centimetres" @change="sayFloor" /> cm</label>
        </dd>
        <dt>up</dt>
        <dd><Detected label="was" :value="up.value" :evidence="up.why" :choices="UPS" @choose="readAgain" /></dd>
        <dt>loop</dt><dd>{{ clip.loop ? 'ends as it began' : 'no' }}</dd>
        <dt>version</dt><dd class="mono">{{ clip.revision }}</dd>
        <dt>file</dt><dd><a class="word mono" :href="`/api/library/clips/${clip.id}/file`" :download="clip.take_name">{{ clip.take_name }}</a></dd>
      </dl>
      <div class="steps">
        <button class="plain word" :disabled="!past.length" @click="back()">Undo trim</button>
        <button class="plain word" :disabled="!future.length" @click="back(true)">Redo trim</button>
        <button v-if="clip.first || clip.last < clip.take_frames - 1" class="plain word" @click="((range = [0, clip.take_frames - 1]), trim())">Whole take</button>
      </div>
      <p v-if="parent">Cut from <router-link :to="`/library/clips/${parent.id}`">{{ parent.name }}</router-link>.</p>
      <p v-if="segments.length">Cut from its take: <template v-for="(one, n) in segments" :key="one.id"><template v-if="n">, </template><router-link :to="`/library/clips/${one.id}`">{{ one.name }}</router-link></template>.</p>
      <p v-for="note in clip.notes" :key="note" class="quiet note">{{ note }}</p>
      <h2 v-if="cast.present.length">See it performed</h2>
      <ul>
        <li v-for="{ one, same } in likeliest(clip)" :key="one.id"><button class="plain word" :class="{ quiet: !same }" :title="same ? undefined : 'another body'" @click="perform(one.id)">{{ one.name }}</button></li>
      </ul>
      <span class="space"></span>
      <FileButton label="New version from a file" :accept="MOTION" @files="newVersion" />
      <p class="quiet note">Or drop the file here. Name, tags and fittings stay.</p>
      <v-btn v-if="clip.retired" @click="retire(false)">Restore</v-btn>
      <v-btn v-else @click="retire(true)">Retire</v-btn>
    </aside>
  </div>
</template>

<style scoped>
.work { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: baseline; gap: 14px; padding: 10px 18px; }
.space { flex: 1; }
.follow { display: flex; gap: 6px; align-items: center; font-size: 14px; }
.follow input { accent-color: var(--accent); }
.stage { position: relative; flex: 1; min-height: 160px; overflow: hidden; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; touch-action: none; cursor: grab; }
.range { font-size: 13px; white-space: pre; }
.facts { width: 300px; border-right: 0; border-left: 1px solid var(--hairline); padding: 14px 18px; display: flex; flex-direction: column; gap: 10px; }
.name { font: inherit; font-size: 1.15rem; font-weight: 500; color: inherit; background: none; border: 1px solid transparent; border-radius: 3px; padding: 2px 5px; margin-left: -6px; }
.name:hover, .name:focus { border-color: var(--hairline); }
dl { display: grid; grid-template-columns: 4.4rem 1fr; gap: 3px 8px; margin: 0; font-size: 14px; }
dt { color: var(--quiet); }
dd { margin: 0; overflow-wrap: anywhere; }
dd { display: flex; flex-wrap: wrap; gap: 4px 8px; align-items: center; }
.centimetres { white-space: nowrap; }
.centimetres input { width: 3.6rem; border: 1px solid var(--hairline); border-radius: 3px; padding: 1px 5px; background: var(--paper); color: inherit; font-family: var(--mono); font-size: 13px; text-align: right; min-height: 25px; }
.steps { display: flex; gap: 12px; font-size: 14px; }
.steps .word:disabled { opacity: 0.4; cursor: default; }
.note { font-size: 13.5px; }
ul { list-style: none; margin: 0; padding: 0; display: flex; flex-wrap: wrap; gap: 4px 14px; }
.ribbon { border-top: 1px solid var(--hairline); }
</style>
