<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client } from '@/api/client'
import { loadFigure, loadWaiting, type StageModule } from '@/features/fitting/figures'
import { openFitting } from '@/features/fitting/open'
import FileButton from '@/shared/frame/FileButton.vue'
import { FIGURES, useArrivals } from '@/stores/arrivals'
import { useCast, type Character } from '@/stores/cast'
import { useIntake } from '@/stores/intake'
import { useMessages } from '@/stores/messages'
import CharacterSheet from './CharacterSheet.vue'
import { waitingName } from './sheet'
import WaitingSheet from './WaitingSheet.vue'

/** Somebody in the line-up: a character of the cast, or one that waits for a decision. */
interface Standing {
  key: string
  version: string
  name: string
  height: number
  bounds: number[][]
  waiting: boolean
  id: number
}
type Figure = Awaited<ReturnType<typeof loadFigure>>
type Arrived = [Standing, Figure | null] | null

const cast = useCast()
const intake = useIntake()
const messages = useMessages()
const route = useRoute()
const router = useRouter()
const theme = useTheme()
const canvas = ref<HTMLCanvasElement>()
const stage = shallowRef<ReturnType<StageModule['openStage']>>()
const bones = ref(false)
const mesh = ref(true)
const loading = ref(false)
const dropping = ref<string | null>(null)
const pointed = ref<number | null>(null)
const labels = ref<{ key: string; name: string; height: string; x: number; y: number; waiting: boolean }[]>([])
let module: StageModule | undefined
let rule: InstanceType<StageModule['HeightRule']> | undefined
let standing: Standing[] = []
let framed = 0
let turn = 0

const chosen = computed(() => cast.present.find((one) => one.id === Number(route.query.character)) ?? null)
const waiting = computed(() => intake.characters.find((one) => one.id === Number(route.query.waiting)) ?? null)
const key = (one: Character) => `character ${one.id}`
const GAP = 0.28
/** Changes whenever somebody comes, goes, or looks otherwise. */
const crowd = computed(() =>
  [
    ...cast.present.map((one) => `${key(one)}.${one.revision}`),
    ...intake.characters.filter((one) => one.state === 'ready').map((one) => `waiting ${one.id}.${JSON.stringify(one.told)}`),
  ].join(),
)

async function lineUp() {
  if (!canvas.value || !crowd.value) return
  const own = ++turn
  module ??= await import('@/stage')
  if (!canvas.value || own !== turn) return
  if (!stage.value) {
    stage.value = module.openStage(canvas.value)
    stage.value.controls.addEventListener('start', () => (taken = true))
  }
  const open = stage.value
  const before = new Map(standing.map((one) => [one.key, one.version]))
  loading.value = true
  const arriving = cast.present.map(async (one): Promise<Arrived> => {
    const here: Standing = { key: key(one), version: `${one.revision}`, name: one.name, height: one.height, bounds: one.bounds, waiting: false, id: one.id }
    if (before.get(here.key) === here.version) return [here, null]
    const figure = await loadFigure(module!, open.palette, one).catch((problem) => {
      messages.fail(problem)
      return null
    })
    return figure ? [here, figure] : null
  })
  for (const file of intake.characters.filter((one) => one.state === 'ready'))
    arriving.push(
      (async (): Promise<Arrived> => {
        const version = JSON.stringify(file.told)
        const about = await answer(client.GET('/api/intake/files/{file_id}/figure', { params: { path: { file_id: file.id } } }))
        if (!about) return null
        const here: Standing = {
          key: `waiting ${file.id}`, version, name: waitingName(file), height: about.height, bounds: about.bounds, waiting: true, id: file.id,
        }
        if (before.get(here.key) === version) return [here, null]
        const figure = await loadWaiting(module!, open.palette, file.id, about)
        return figure && [here, figure]
      })().catch((problem): Arrived => {
        messages.fail(problem)
        return null
      }),
    )
  const found = (await Promise.all(arriving)).filter((one) => one !== null)
  loading.value = false
  if (open !== stage.value || own !== turn) return found.forEach(([, figure]) => figure?.dispose())
  const now = new Set(found.map(([one]) => one.key))
  for (const one of standing) if (!now.has(one.key)) open.remove(one.key)
  standing = found.map(([one]) => one)
  if (!standing.length) return
  let x = 0
  for (const [one, figure] of found) {
    if (figure) open.add(one.key, figure)
    const [low, high] = one.bounds
    open.moveTo(one.key, x - low[0], 0)
    x += high[0] - low[0] + GAP
  }
  const width = Math.max(x - GAP, 0.6)
  const top = Math.max(...standing.map((one) => one.height))
  rule?.dispose()
  rule = new module.HeightRule(open.palette, -0.3, width + 0.25, -0.7, Math.ceil(top * 2 + 0.3) / 2)
  open.addObject(rule.object)
  open.floor.compassAt(width + 0.05, 0.05)
  open.afterDrawing(place)
  all = { width, top }
  if (framed !== standing.length) frameAll()
  framed = standing.length
  look()
}
let all = { width: 2, top: 2 }
/** Everybody in sight, unless the person has taken the camera: who looks closely at somebody is not torn away. */
function frameAll() {
  if (!taken) stage.value?.frameBox(all.width / 2, 0, Math.max(all.width + 0.5, 2.2), all.top + 0.35, 10, 7, 0.42)
}
let taken = false
function place() {
  const open = stage.value
  if (!open) return
  let x = 0
  labels.value = standing.map((one) => {
    const [low, high] = one.bounds
    const middle = x + (high[0] - low[0]) / 2
    x += high[0] - low[0] + GAP
    const at = open.project(middle, 0, 0.45)
    return { key: one.key, name: one.name, height: `${(one.height * 100).toFixed(0)} cm`, x: at.x, y: at.y, waiting: one.waiting }
  })
}
function look() {
  const lit = chosen.value ? key(chosen.value) : ''
  for (const one of standing) {
    const figure = stage.value?.figure(one.key)
    const here = one.key === lit && pointed.value !== null
    figure?.boneLines.select(here ? [pointed.value!] : [])
    figure?.show(mesh.value, bones.value || here)
  }
  stage.value?.invalidate()
}
/** The chosen figure with a joint bent, to see how far it may go; at rest again when nobody looks. */
function bend(rotations: Float32Array | null, translations: Float32Array | null) {
  const figure = chosen.value && stage.value?.figure(key(chosen.value))
  if (!figure) return
  if (rotations && translations) figure.take(rotations, translations)
  else figure.play(null)
  stage.value?.invalidate()
}
watch([mesh, bones, pointed], look)
watch(crowd, lineUp, { flush: 'post' })
// A sheet that opens or closes leaves the stage another size.
watch(
  () => !!chosen.value || !!waiting.value,
  () => setTimeout(frameAll, 50),
)
watch(
  () => theme.global.name.value,
  () => {
    close()
    void lineUp()
  },
  { flush: 'post' },
)
// The one figure that waits is the one to decide on.
watch(
  () => intake.characters.filter((one) => one.state === 'ready').map((one) => one.id).join(),
  (now, before) => {
    const fresh = now.split(',').find((id) => id && !(before ?? '').split(',').includes(id))
    if (fresh && !waiting.value) void router.replace({ query: { waiting: fresh } })
  },
  { immediate: true },
)

function close() {
  turn++
  rule?.dispose()
  rule = undefined
  stage.value?.dispose()
  stage.value = undefined
  standing = []
  framed = 0
  taken = false
}
onMounted(() => {
  void intake.refresh()
  void lineUp()
})
onBeforeUnmount(close)

const bringIn = (files: File[]) => intake.bringIn(files, 'cast')
function choose(wanted: string | null) {
  pointed.value = null
  if (wanted === null) return void router.replace({ query: {} })
  const [kind, id] = wanted.split(' ')
  void router.replace({ query: { [kind]: id } })
}
let pressed: { x: number; y: number } | null = null
function release(event: PointerEvent) {
  const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4
  pressed = null
  if (still) choose(stage.value?.figureAt(event.clientX, event.clientY) ?? null)
}
function drag(event: DragEvent) {
  dropping.value = stage.value?.figureAt(event.clientX, event.clientY) ?? null
}
async function drop(event: DragEvent) {
  const target = cast.present.find((one) => key(one) === stage.value?.figureAt(event.clientX, event.clientY))
  dropping.value = null
  const files = [...(event.dataTransfer?.files ?? [])]
  if (!target || !files.length) return
  event.preventDefault()
  const found = await useArrivals().bringIn(files)
  if (found.clips.length) await openFitting(router, found.clips[0], target.id).catch(messages.fail)
}
const perform = (clip: number) => chosen.value && openFitting(router, clip, chosen.value.id).catch(messages.fail)
const restore = (one: Character) => cast.change(one.id, { retired: false }).catch(messages.fail)
const retired = computed(() => cast.characters.filter((one) => one.retired))
</script>

<template>
  <div v-if="cast.loaded && !crowd && !intake.characters.length && !intake.accepted" class="view">
    <div class="empty">
      <h1>Nobody is in the cast yet</h1>
      <p>Bring in a character, a mesh bound to a skeleton: glTF (.glb, or .gltf with its files in a .zip), COLLADA or USD.</p>
      <FileButton label="Bring in a character" :accept="FIGURES" doing @files="bringIn" />
      <p v-if="intake.summary?.reading" class="quiet" role="status">Reading …</p>
      <p v-else class="quiet">Or drop the file anywhere in this window.</p>
    </div>
  </div>
  <div v-else-if="cast.loaded" class="view">
    <section class="lineup" @dragover.prevent="drag" @dragleave="dropping = null" @drop="drop">
      <div class="bar">
        <h1>Line-up</h1>
        <div class="choice" role="group" aria-label="What is drawn">
          <button :aria-pressed="mesh && !bones" @click="((mesh = true), (bones = false))">Mesh</button>
          <button :aria-pressed="mesh && bones" @click="((mesh = true), (bones = true))">Mesh and bones</button>
          <button :aria-pressed="!mesh" @click="((mesh = false), (bones = true))">Bones</button>
        </div>
        <v-menu v-if="retired.length">
          <template #activator="{ props: menu }"><button class="plain word" v-bind="menu">Retired ({{ retired.length }})</button></template>
          <v-list density="compact"><v-list-item v-for="one in retired" :key="one.id" :title="`Restore ${one.name}`" @click="restore(one)" /></v-list>
        </v-menu>
        <span class="space" />
        <FileButton label="Bring in a character" :accept="FIGURES" @files="bringIn" />
      </div>
      <div class="stage">
        <canvas ref="canvas" aria-label="The characters side by side, to scale" @pointerdown="pressed = { x: $event.clientX, y: $event.clientY }" @pointerup="release"></canvas>
        <button
          v-for="label in labels"
          :key="label.key"
          class="plain label"
          :class="{ here: label.key === (chosen ? key(chosen) : waiting ? `waiting ${waiting.id}` : ''), over: dropping === label.key, waiting: label.waiting }"
          :style="{ left: `${label.x}px`, top: `${label.y}px` }"
          @click="choose(label.key)"
        >
          <span>{{ label.name }}</span><span class="mono quiet">{{ label.waiting ? `waits, ${label.height}` : label.height }}</span>
        </button>
        <p v-if="loading" class="quiet loading" role="status">Fetching the figures …</p>
      </div>
    </section>
    <aside v-if="waiting" class="pane sheet" aria-label="A character waits for a decision">
      <WaitingSheet :file="waiting" :busy="!!intake.summary?.accepting" @accepted="choose(null)" @close="choose(null)" />
    </aside>
    <aside v-else-if="chosen" class="pane sheet" :aria-label="`Sheet of ${chosen.name}`">
      <CharacterSheet :key="chosen.id" :character="chosen" @pose="bend" @close="choose(null)" @perform="perform" @point="(bone) => (pointed = bone)" />
    </aside>
  </div>
</template>

<style scoped>
.lineup { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 18px; padding: 12px 20px; }
.space { flex: 1; }
.stage { position: relative; flex: 1; min-height: 0; overflow: hidden; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; touch-action: none; cursor: grab; }
canvas:active { cursor: grabbing; }
.label { position: absolute; transform: translate(-50%, 4px); display: grid; justify-items: center; padding: 2px 10px; border-bottom: 2px solid transparent; line-height: 1.25; white-space: nowrap; }
.label .mono { font-size: 12.5px; }
.label.here, .label.over { border-bottom-color: var(--accent); }
.label.waiting { margin-top: 26px; border: 1px dashed var(--accent); border-radius: 3px; background: var(--panel); }
.loading { position: absolute; left: 20px; bottom: 14px; }
.sheet { width: 318px; border-right: 0; border-left: 1px solid var(--hairline); padding: 16px 18px; display: flex; flex-direction: column; gap: 10px; }
</style>
