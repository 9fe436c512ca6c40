<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { openFitting } from '@/fitting/open'
import FileButton from '@/frame/FileButton.vue'
import { loadFigure, type StageModule } from '@/fitting/figures'
import { FIGURES, useArrivals } from '@/stores/arrivals'
import { useCast, type Character } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'

const cast = useCast()
const library = useLibrary()
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
const labels = ref<{ key: string; name: string; height: string; x: number; y: number }[]>([])
let module: StageModule | undefined
let rule: InstanceType<StageModule['HeightRule']> | undefined
let shown = ''

const chosen = computed(() => cast.character(Number(route.query.character)) ?? null)
const key = (one: Character) => `character ${one.id}`
const GAP = 0.28

async function lineUp() {
  if (!canvas.value || !cast.characters.length) return
  module ??= await import('@/stage')
  if (!canvas.value) return
  stage.value ??= module.openStage(canvas.value)
  const now = cast.characters.map((one) => `${one.id}.${one.revision}`).join()
  if (now === shown) return
  shown = now
  loading.value = true
  const open = stage.value
  const figures = await Promise.all(
    cast.characters.map((one) => loadFigure(module!, open.palette, one).catch((problem) => void messages.fail(problem))),
  )
  loading.value = false
  if (open !== stage.value) return
  let x = 0
  cast.characters.forEach((one, n) => {
    const figure = figures[n]
    if (!figure) return
    const [low, high] = one.bounds
    open.add(key(one), figure)
    open.moveTo(key(one), x - low[0], 0)
    x += high[0] - low[0] + GAP
  })
  const width = Math.max(x - GAP, 0.6)
  const top = Math.max(...cast.characters.map((one) => one.height))
  rule?.dispose()
  rule = new module.HeightRule(open.palette, -0.3, width + 0.25, -0.7, Math.ceil(top * 2 + 0.3) / 2)
  open.addObject(rule.object)
  open.floor.compassAt(width + 0.05, 0.05)
  open.onDraw = place
  open.frameBox(width / 2, 0, Math.max(width + 0.9, 2.2), top + 0.55, 12, 6, 0.39)
  look()
}
function place() {
  const open = stage.value
  if (!open) return
  let x = 0
  labels.value = cast.characters.map((one) => {
    const [low, high] = one.bounds
    const middle = x + (high[0] - low[0]) / 2
    x += high[0] - low[0] + GAP
    const at = open.project(middle, 0, 0.45)
    return { key: key(one), name: one.name, height: `${(one.height * 100).toFixed(0)} cm`, x: at.x, y: at.y }
  })
}
function look() {
  for (const one of cast.characters) stage.value?.figure(key(one))?.show(mesh.value, bones.value)
  stage.value?.invalidate()
}
watch([mesh, bones], look)
watch(() => cast.characters.map((one) => one.id).join(), lineUp, { flush: 'post' })
watch(
  () => theme.global.name.value,
  () => {
    close()
    void lineUp()
  },
  { flush: 'post' },
)

function close() {
  rule?.dispose()
  rule = undefined
  stage.value?.dispose()
  stage.value = undefined
  shown = ''
}
onMounted(lineUp)
onBeforeUnmount(close)

async function bringIn(files: File[]) {
  const found = await useArrivals().bringIn(files, 'cast')
  if (found.characters.length) await choose(found.characters[found.characters.length - 1])
}
const choose = (id: number | null) => router.replace({ query: id === null ? {} : { character: id } })
let pressed: { x: number; y: number } | null = null
function release(event: PointerEvent) {
  const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4
  pressed = null
  if (!still) return
  const found = stage.value?.figureAt(event.clientX, event.clientY)
  void choose(cast.characters.find((one) => key(one) === found)?.id ?? null)
}
function drag(event: DragEvent) {
  dropping.value = stage.value?.figureAt(event.clientX, event.clientY) ?? null
}
async function drop(event: DragEvent) {
  const target = cast.characters.find((one) => key(one) === stage.value?.figureAt(event.clientX, event.clientY))
  dropping.value = null
  const files = [...(event.dataTransfer?.files ?? [])]
  if (!target || !files.length) return
  event.preventDefault()
  await performFiles(files, target)
}
async function performFiles(files: File[], target: Character) {
  const found = await useArrivals().bringIn(files)
  if (found.clips.length) await openFitting(router, found.clips[0], target.id).catch(messages.fail)
}
const perform = (clip: number) => chosen.value && openFitting(router, clip, chosen.value.id).catch(messages.fail)
</script>

<template>
  <div v-if="cast.loaded && !cast.characters.length" class="view">
    <div class="empty">
      <h1>Nobody is in the cast yet</h1>
      <p>Bring in a character, a mesh bound to a skeleton: glTF (.glb, or .gltf with its files in a .zip), COLLADA or USD.</p>
      <FileButton label="Bring in a character" :accept="FIGURES" doing @files="bringIn" />
      <p class="quiet">Or drop the file anywhere in this window.</p>
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
        <span class="space" />
        <FileButton label="Bring in a character" :accept="FIGURES" @files="bringIn" />
      </div>
      <div class="stage">
        <canvas ref="canvas" aria-label="The characters side by side, to scale" @pointerdown="pressed = { x: $event.clientX, y: $event.clientY }" @pointerup="release"></canvas>
        <button
          v-for="label in labels"
          :key="label.key"
          class="plain label"
          :class="{ here: chosen && key(chosen) === label.key, over: dropping === label.key }"
          :style="{ left: `${label.x}px`, top: `${label.y}px` }"
          @click="choose(Number(label.key.split(' ')[1]))"
        >
          <span>{{ label.name }}</span><span class="mono quiet">{{ label.height }}</span>
        </button>
        <p v-if="loading" class="quiet loading" role="status">Fetching the figures …</p>
      </div>
    </section>
    <aside v-if="chosen" class="pane sheet" :aria-label="`Sheet of ${chosen.name}`">
      <div class="head"><h1>{{ chosen.name }}</h1><button class="plain word" @click="choose(null)">Close</button></div>
      <dl>
        <dt>file</dt><dd class="mono">{{ chosen.file }}</dd>
        <dt>height</dt><dd class="mono">{{ (chosen.height * 100).toFixed(1) }} cm</dd>
        <dt>faces</dt><dd class="mono">{{ chosen.facing === null ? 'unknown' : `${chosen.facing.toFixed(1)}° from forward` }}</dd>
        <dt>bones</dt><dd class="mono">{{ chosen.joints }}</dd>
      </dl>
      <p v-for="note in chosen.notes" :key="note" class="note">{{ note }}</p>
      <a class="word" :href="`/api/cast/${chosen.id}/file`" :download="chosen.file">Download the original</a>
      <h2>Let {{ chosen.name }} perform</h2>
      <p v-if="!library.clips.length" class="quiet">There is no motion yet. Drop a motion file on the figure, or <router-link to="/library">bring in some</router-link>.</p>
      <ul>
        <li v-for="clip in library.clips" :key="clip.id">
          <button class="plain clip" @click="perform(clip.id)"><span>{{ clip.name }}</span><span class="mono quiet">{{ clip.seconds.toFixed(1) }} s</span></button>
        </li>
      </ul>
      <p class="quiet">Or drop a motion file on the figure.</p>
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
.label { position: absolute; transform: translate(-50%, 4px); display: grid; justify-items: center; padding: 2px 10px; border-bottom: 2px solid transparent; line-height: 1.25; }
.label .mono { font-size: 12.5px; }
.label.here, .label.over { border-bottom-color: var(--accent); }
.loading { position: absolute; left: 20px; bottom: 14px; }
.sheet { width: 290px; border-right: 0; border-left: 1px solid var(--hairline); padding: 16px 18px; display: flex; flex-direction: column; gap: 10px; }
.head { display: flex; justify-content: space-between; align-items: baseline; }
dl { display: grid; grid-template-columns: 4.2rem 1fr; gap: 3px 8px; margin: 0; }
dt { color: var(--quiet); }
dd { margin: 0; overflow-wrap: anywhere; }
.sheet h2 { margin-top: 10px; }
.sheet ul { list-style: none; padding: 0; margin: 0; border-top: 1px solid var(--hairline); }
.clip { display: flex; justify-content: space-between; width: 100%; padding: 6px 2px; border-bottom: 1px solid var(--hairline); }
.clip:hover { background: rgb(var(--v-theme-surface-variant)); }
.note { font-size: 14px; }
</style>
