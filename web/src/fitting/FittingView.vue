<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'

import { answer, client, octets, type Schemas } from '@/api/client'
import { usePlayer } from '@/player/player'
import PoseRibbon, { type RibbonRow } from '@/player/PoseRibbon.vue'
import TransportBar from '@/player/TransportBar.vue'
import { useArrivals } from '@/stores/arrivals'
import { useCast, type Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRenditions } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'
import { loadFigure, treeFor, type StageModule } from './figures'
import { openFitting } from './open'
import PairList from './PairList.vue'
import RenditionPanel from './RenditionPanel.vue'
import StanceList from './StanceList.vue'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
const library = useLibrary()
const cast = useCast()
const messages = useMessages()
const renditions = useRenditions()

const fitting = ref<Schemas['FittingOut'] | null>(null)
const sourceBones = ref<Bones | null>(null)
const targetBones = ref<Bones | null>(null)
const lost = ref(false)
const busy = ref(false)
const loading = ref('')
const leaf = ref<'pair' | 'stance'>('pair')
const layout = ref<'beside' | 'over'>('beside')
const mesh = ref(true)
const bones = ref(false)
const pointed = ref<string | null>(null)
const canvas = ref<HTMLCanvasElement>()
const stage = shallowRef<ReturnType<StageModule['openStage']>>()
const frames = ref(1)
const fps = ref(30)
const rows = shallowRef<RibbonRow[]>([])
const shown = ref<number[]>([])
const { frame, playing, loop, go } = usePlayer(frames, fps)
let module: StageModule | undefined
let fetching: AbortController | undefined

const id = computed(() => Number(route.params.id))
const clips = computed(() => library.present.filter((clip) => clip.skeleton_id === fitting.value?.skeleton_id))
const clip = computed(() => clips.value.find((one) => one.id === Number(route.query.clip)) ?? clips.value[0])
const character = computed(() => (fitting.value ? cast.character(fitting.value.character_id) : undefined))
const rendition = computed(() => (clip.value && character.value ? renditions.of(clip.value.id, character.value.id) : undefined))
const findings = computed(() => rendition.value?.findings ?? [])

async function open() {
  try {
    if (!library.loaded) await library.load()
    if (!cast.loaded) await cast.load()
    if (!renditions.loaded) await renditions.load()
    fitting.value = await answer(client.GET('/api/fittings/{fitting_id}', { params: { path: { fitting_id: id.value } } }))
    ;[sourceBones.value, targetBones.value] = await Promise.all([
      cast.skeleton(fitting.value.skeleton_id),
      cast.skeleton(character.value!.skeleton_id),
    ])
    void useRuns().refresh()
    await nextTick()
    await openTheStage()
  } catch (problem) {
    lost.value = !fitting.value
    messages.fail(problem)
  }
}
async function openTheStage() {
  module ??= await import('@/stage')
  if (!canvas.value || !character.value || !sourceBones.value) return
  const now = (stage.value = module.openStage(canvas.value))
  loading.value = `Fetching ${character.value.name} …`
  const figure = await loadFigure(module, now.palette, character.value)
  if (stage.value !== now) return figure.dispose()
  now.add('character', figure)
  loading.value = ''
  await loadMotion(true)
}

/** Source positions and the live transfer of the chosen clip, onto the stage and into the ribbon. */
async function loadMotion(again: boolean) {
  const now = stage.value
  const row = clip.value
  if (!now || !module || !row || !fitting.value || !sourceBones.value || !targetBones.value) return
  fetching?.abort()
  fetching = new AbortController()
  const { signal } = fetching
  try {
    const [source, target] = await Promise.all([
      octets(`/api/library/clips/${row.id}/positions`, signal),
      octets(`/api/fittings/${id.value}/preview/${row.id}`, signal),
    ])
    if (stage.value !== now) return
    const [count, points] = source.blocks[0].shape
    const tree = treeFor(module, sourceBones.value)
    const positions = { frames: count, points, values: source.blocks[0].values }
    const size = library.skeletons.find((body) => body.id === row.skeleton_id)?.height ?? 1.7
    now.addSource('source', new module.Quills(tree, now.palette, size), positions)
    const [turns, places] = target.blocks
    now.figure('character')?.play({ frames: turns.shape[0], joints: turns.shape[1], rotations: turns.values, translations: places.values })
    frames.value = count
    fps.value = source.fps
    if (again) go(0)
    drawRibbon(tree)
    now.setFrame(frame.value)
    place(again)
    if (again && history.state.play) {
      // Whoever asked to see it performed sees it move; a reload or a link stands still.
      history.replaceState({ ...history.state, play: false }, '')
      playing.value = !matchMedia('(prefers-reduced-motion: reduce)').matches
    }
  } catch (problem) {
    messages.fail(problem)
  }
}
function drawRibbon(tree: ReturnType<typeof treeFor>) {
  const now = stage.value!
  const figure = now.figure('character')
  const source = now.source('source')
  if (!figure || !source || !targetBones.value) return
  const count = Math.min(frames.value, 16)
  shown.value = Array.from({ length: count }, (_, n) => Math.round((n * (frames.value - 1)) / Math.max(1, count - 1)))
  const above: Float32Array[] = []
  const below: Float32Array[] = []
  for (const at of shown.value) {
    now.setFrame(at)
    above.push(source.positions.slice())
    below.push(figure.quills.positions.slice())
  }
  rows.value = [
    { poses: above, parents: tree.parents, sides: tree.sides },
    { poses: below, parents: targetBones.value.parents, sides: figure.quills.tree.sides },
  ]
}

/** Stand the two side by side or over each other, and look at both. */
function place(look: boolean) {
  const now = stage.value
  if (!now || !character.value) return
  const size = library.skeletons.find((body) => body.id === fitting.value?.skeleton_id)?.height ?? 1.7
  const apart = layout.value === 'beside' ? Math.max(size, character.value.height) * 0.36 : 0
  now.moveTo('source', -apart, 0)
  now.moveTo('character', apart, 0)
  now.floor.compassAt(layout.value === 'beside' ? 0 : 0.9, layout.value === 'beside' ? -0.1 : 0.2)
  const figure = now.figure('character')
  figure?.show(mesh.value, bones.value)
  now.setFollowed(() => (figure ? figure.joints[hips.value].getWorldPosition(figure.object.position.clone()) : null))
  if (look) {
    const at = figure ? figure.quills.positions.slice(hips.value * 3, hips.value * 3 + 3) : [0, 0, 0]
    const tall = Math.max(size, character.value.height, reach.value) * 1.14
    now.frameBox(at[0] - apart, at[2], layout.value === 'beside' ? apart * 2 + 1.5 : 1.8, tall, 24, 7)
  }
  light()
}
/** The greatest height any joint comes to in this clip, so that raised hands stay in the picture. */
const reach = computed(() => {
  let top = 0
  for (const row of rows.value) for (const pose of row.poses) for (let n = 1; n < pose.length; n += 3) top = Math.max(top, pose[n])
  return top
})
const hips = computed(() => Math.max(0, targetBones.value?.parts.indexOf('hips') ?? 0))

/** Light up the bones of the part that is pointed at, on both figures. */
function light() {
  const pair = fitting.value?.pairs.find((one) => one.part === pointed.value || (!one.part && one.source[0] === pointed.value))
  const rings = (names: string[] | undefined, tree: Bones | null) => (names ?? []).map((name) => tree?.names.indexOf(name) ?? -1)
  stage.value?.source('source')?.select(rings(pair?.source, sourceBones.value))
  const figure = stage.value?.figure('character')
  figure?.quills.select(rings(pair?.target, targetBones.value))
  figure?.show(mesh.value, bones.value || pointed.value !== null)
  stage.value?.invalidate()
}

watch(frame, (now) => stage.value?.setFrame(now))
watch([layout], () => place(true))
watch([mesh, bones], () => place(false))
watch(pointed, light)
watch(() => clip.value?.id, (now, before) => now && before && loadMotion(true))
watch(
  () => theme.global.name.value,
  async () => {
    stage.value?.dispose()
    stage.value = undefined
    await openTheStage()
  },
  { flush: 'post' },
)

async function change(work: Promise<Schemas['FittingOut']>) {
  busy.value = true
  try {
    fitting.value = await work
    await Promise.all([loadMotion(false), renditions.load()])
    light()
  } catch (problem) {
    messages.fail(problem)
  } finally {
    busy.value = false
  }
}
const path = computed(() => ({ params: { path: { fitting_id: id.value } } }))
const setPair = (part: string, source: string[], target: string[]) =>
  change(answer(client.PUT('/api/fittings/{fitting_id}/pair', { ...path.value, body: { part, source, target } })))
const undo = () => fitting.value?.undo && change(answer(client.POST('/api/fittings/{fitting_id}/undo', path.value)))
const redo = () => fitting.value?.redo && change(answer(client.POST('/api/fittings/{fitting_id}/redo', path.value)))

async function transfer() {
  if (!clip.value || !character.value) return
  await renditions.make(clip.value.id, character.value.id).catch(messages.fail)
  await useRuns().refresh()
  await renditions.load().catch(messages.fail)
}
const stop = () => rendition.value && renditions.stop(rendition.value.id).catch(messages.fail)
const choose = (wanted: number) => router.replace({ query: { clip: wanted } })

async function drop(event: DragEvent) {
  const files = [...(event.dataTransfer?.files ?? [])]
  if (!files.length || !character.value) return
  event.preventDefault()
  const found = await useArrivals().bringIn(files)
  if (found.clips.length) await openFitting(router, found.clips[0], character.value.id).catch(messages.fail)
  else if (found.characters.length) await router.push(`/cast?character=${found.characters[0]}`)
}

function onKey(event: KeyboardEvent) {
  const target = event.target as HTMLElement
  if (target.closest('input, textarea, [role="dialog"]')) return
  const key = event.key
  const steps = [...new Set(findings.value.filter((one) => one.unit).map((one) => one.frames[0]))].sort((a, b) => a - b)
  if ((event.ctrlKey || event.metaKey) && key.toLowerCase() === 'z') void (event.shiftKey ? redo() : undo())
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (key === ' ') {
    if (target.closest('button, a')) return // the button's own key
    playing.value = !playing.value
  } else if (key === 'ArrowRight' && event.shiftKey) go(steps.find((at) => at > frame.value) ?? frame.value)
  else if (key === 'ArrowLeft' && event.shiftKey) go(steps.reverse().find((at) => at < frame.value) ?? frame.value)
  else if (key === 'ArrowRight') step(1)
  else if (key === 'ArrowLeft') step(-1)
  else if (key === 'Home') go(0)
  else if (key === 'End') go(frames.value - 1)
  else if (key === 'm') mesh.value = !mesh.value
  else if (key === 'b') bones.value = !bones.value
  else if (key === 'o') layout.value = layout.value === 'beside' ? 'over' : 'beside'
  else if (key === 'f') place(true)
  else return
  event.preventDefault()
}
function step(by: number) {
  playing.value = false
  go(frame.value + by)
}
onMounted(() => {
  window.addEventListener('keydown', onKey)
  void open()
})
onBeforeUnmount(() => {
  window.removeEventListener('keydown', onKey)
  fetching?.abort()
  stage.value?.dispose()
})
</script>

<template>
  <div v-if="lost" class="view">
    <div class="empty">
      <h1>This fitting is no longer there</h1>
      <v-btn to="/fittings">To the fittings</v-btn>
    </div>
  </div>
  <div v-else class="view" @dragover.prevent @drop="drop">
    <aside class="pane leaves" aria-label="The fitting">
      <div class="tabs" role="tablist" aria-label="Leaves of the fitting">
        <button class="plain" role="tab" :aria-selected="leaf === 'pair'" @click="leaf = 'pair'">Pair</button>
        <button class="plain" role="tab" :aria-selected="leaf === 'stance'" @click="leaf = 'stance'">Stance</button>
        <span class="space"></span>
        <button class="plain word" :disabled="!fitting?.undo || busy" :title="fitting?.undo ?? 'nothing to undo'" @click="undo">Undo</button>
        <button class="plain word" :disabled="!fitting?.redo || busy" :title="fitting?.redo ?? 'nothing to redo'" @click="redo">Redo</button>
      </div>
      <div class="leaf">
        <template v-if="fitting && sourceBones && targetBones">
          <PairList v-if="leaf === 'pair'" :fitting="fitting" :source="sourceBones" :target="targetBones" :pointed="pointed" :busy="busy" @point="pointed = $event" @set="setPair" />
          <StanceList v-else :fitting="fitting" :pointed="pointed" @point="pointed = $event" />
        </template>
      </div>
    </aside>
    <section class="work">
      <div class="bar">
        <h1 v-if="clip && character">
          <v-menu>
            <template #activator="{ props: menu }"><button class="plain word" v-bind="menu">{{ clip.name }}</button></template>
            <v-list density="compact"><v-list-item v-for="one in clips" :key="one.id" :title="one.name" :active="one.id === clip.id" @click="choose(one.id)" /></v-list>
          </v-menu>
          <span class="quiet"> by </span>{{ character.name }}
        </h1>
        <span class="space"></span>
        <div class="choice" role="group" aria-label="How the two stand">
          <button :aria-pressed="layout === 'beside'" @click="layout = 'beside'">Side by side</button>
          <button :aria-pressed="layout === 'over'" @click="layout = 'over'">Laid over</button>
        </div>
        <div class="choice" role="group" aria-label="What is drawn of the character">
          <button :aria-pressed="mesh" @click="mesh = !mesh">Mesh</button>
          <button :aria-pressed="bones" @click="bones = !bones">Bones</button>
        </div>
      </div>
      <div class="stage">
        <canvas ref="canvas" tabindex="-1" aria-label="Source and character under one camera"></canvas>
        <p v-if="loading" class="quiet loading" role="status">{{ loading }}</p>
      </div>
      <TransportBar v-model:playing="playing" v-model:loop="loop" :frame="frame" :frames="frames" :fps="fps" @step="step">
        <RenditionPanel v-if="clip && character" :rendition="rendition" :character="character.name" :own="character.format" @transfer="transfer" @stop="stop" @frame="go" />
      </TransportBar>
      <PoseRibbon :frames="frames" :fps="fps" :frame="frame" :rows="rows" :shown="shown" :findings="findings" @frame="go" />
    </section>
  </div>
</template>

<style scoped>
.leaves { width: 372px; display: flex; flex-direction: column; overflow: hidden; }
.leaf { overflow-y: auto; flex: 1; }
.tabs { display: flex; gap: 18px; padding: 10px 14px 0; border-bottom: 1px solid var(--hairline); align-items: baseline; }
.tabs [role='tab'] { padding: 4px 2px 7px; border-bottom: 2px solid transparent; }
.tabs [role='tab'][aria-selected='true'] { border-color: var(--accent); font-weight: 500; }
.tabs .word { font-size: 14px; }
.tabs .word:disabled { opacity: 0.4; cursor: default; }
.space { flex: 1; }
.work { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 14px; padding: 10px 18px; flex-wrap: wrap; }
.stage { position: relative; flex: 1; min-height: 160px; overflow: hidden; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; touch-action: none; cursor: grab; }
.loading { position: absolute; left: 18px; bottom: 10px; }
.ribbon { border-top: 1px solid var(--hairline); }
@media (max-width: 1150px) { .leaves { width: 320px; } }
</style>
