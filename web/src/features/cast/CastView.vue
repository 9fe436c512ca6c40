<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { openFitting } from '@/features/fitting/open'
import { copyLink } from '@/shared/clipboard'
import { filesOf, hasFiles } from '@/shared/frame/dropped'
import FileButton from '@/shared/frame/FileButton.vue'
import TryMuseum from '@/shared/frame/TryMuseum.vue'
import { useContextMenu, type MenuItem } from '@/shared/frame/useContextMenu'
import { pendingNavigation } from '@/shared/navigation'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import { FIGURES, useArrivals } from '@/stores/arrivals'
import { useCast, type Character } from '@/stores/cast'
import { useIntake } from '@/stores/intake'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { COMPANIONS } from '@/stores/uploads'
import CharacterSheet from './CharacterSheet.vue'
import { keyOf, useLineUp, waitingKeyOf } from './useLineUp'
import WaitingSheet from './WaitingSheet.vue'

const cast = useCast()
const library = useLibrary()
const intake = useIntake()
const messages = useMessages()
const route = useRoute()
const router = useRouter()
const contextMenu = useContextMenu()
const canvas = ref<HTMLCanvasElement>()
const dropping = ref<string | null>(null)
const chosen = computed(() => cast.present.find(({ id }) => id === Number(route.query.character)) ?? null)
const waiting = computed(() => intake.characters.find(({ id }) => id === Number(route.query.waiting)) ?? null)
const retired = computed(() => cast.characters.filter((character) => character.retired))
const { stage, mesh, bones, loading, pointed, labels, crowd, bend } = useLineUp(canvas, chosen)
const chosenKey = computed(() =>
  chosen.value ? keyOf(chosen.value) : waiting.value ? waitingKeyOf(waiting.value) : '',
)

// The one figure that waits is the one to decide on; once, for it is read again when something is said of it.
const offered = new Set<string>()
watch(
  () =>
    intake.characters
      .filter((file) => file.state === 'ready')
      .map((file) => file.id)
      .join(),
  (ready) => {
    const ids = ready.split(',').filter(Boolean)
    const fresh = ids.find((id) => !offered.has(id))
    ids.forEach((id) => offered.add(id))
    if (fresh && !waiting.value && !pendingNavigation(router)) void router.replace({ query: { waiting: fresh } })
  },
  { immediate: true },
)
onMounted(() => void intake.refresh())

const bringIn = (files: File[]) => intake.bringIn(files, 'cast')
/** By its key, as in the address: "character 3" or "waiting 5". */
function choose(key: string | null) {
  pointed.value = null
  if (key === null) return void router.replace({ query: {} })
  const [kind, id] = key.split(' ')
  void router.replace({ query: { [kind]: id } })
}
let pressed: { x: number; y: number } | null = null
function release(event: PointerEvent) {
  const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4
  pressed = null
  const key = still ? (stage.value?.figureAt(event.clientX, event.clientY) ?? null) : undefined
  if (event.button === 2 && key) menu(event, key)
  else if (key !== undefined && event.button === 0) choose(key)
}
/** What can be done with a figure where the pointer is at it. */
function menu(event: MouseEvent, key: string) {
  const character = cast.present.find((row) => keyOf(row) === key)
  const own = (): MenuItem[] =>
    character
      ? [
          { label: 'Fetch its file', act: () => location.assign(`/api/cast/${character.id}/file`) },
          { label: 'Perform live', act: () => router.push(`/cast/live?roles=${character.id}.0`) },
          { label: 'Its results on the board', act: () => router.push('/board') },
          { label: 'Copy its link', act: () => copyLink(`/cast?character=${character.id}`) },
          { label: 'Retire', act: () => cast.change(character.id, { retired: true }).catch(messages.fail) },
        ]
      : []
  const name = labels.value.find((label) => label.key === key)?.name ?? ''
  contextMenu.open(event, name, () => [{ label: 'Its sheet', act: () => choose(key) }, ...own()])
}
function drag(event: DragEvent) {
  dropping.value = stage.value?.figureAt(event.clientX, event.clientY) ?? null
}
async function drop(event: DragEvent) {
  const key = stage.value?.figureAt(event.clientX, event.clientY)
  const target = cast.present.find((character) => keyOf(character) === key)
  dropping.value = null
  if (!target || !hasFiles(event)) return
  event.preventDefault()
  const { clips } = await useArrivals().bringIn(await filesOf(event.dataTransfer))
  if (clips.length) await openFitting(router, clips[0], target.id).catch(messages.fail)
}
const perform = (clip: number) => chosen.value && openFitting(router, clip, chosen.value.id).catch(messages.fail)
const restore = (character: Character) => cast.change(character.id, { retired: false }).catch(messages.fail)
</script>

<template>
  <div v-if="cast.loaded && !crowd && !intake.characters.length && !intake.accepted" class="view">
    <div class="empty">
      <h1>Nobody is in the cast yet</h1>
      <p>
        Bring in a character: a mesh bound to a skeleton, as glTF (.glb, or .gltf with its files), COLLADA or USD; or a
        mesh without bones, of these or as .obj, .ply or .stl, which is given some.
      </p>
      <FileButton label="Bring in a character" :accept="FIGURES + COMPANIONS" doing @files="bringIn" />
      <p v-if="intake.summary?.reading" class="quiet" role="status">Reading …</p>
      <p v-else class="quiet">Or drop the file anywhere in this window.</p>
      <TryMuseum v-if="library.loaded && !library.clips.length" />
    </div>
  </div>
  <div v-else-if="cast.loaded" class="view">
    <section class="workspace" @dragover.prevent="drag" @dragleave="dropping = null" @drop="drop">
      <div class="bar">
        <h1>Line-up</h1>
        <div class="choice" role="group" aria-label="What is drawn">
          <button :aria-pressed="mesh && !bones" @click="((mesh = true), (bones = false))">Mesh</button>
          <button :aria-pressed="mesh && bones" @click="((mesh = true), (bones = true))">Mesh and bones</button>
          <button :aria-pressed="!mesh" @click="((mesh = false), (bones = true))">Bones</button>
        </div>
        <v-menu v-if="retired.length">
          <template #activator="{ props: opens }"
            ><button class="plain word" v-bind="opens">Retired ({{ retired.length }})</button></template
          >
          <v-list density="compact"
            ><v-list-item
              v-for="character in retired"
              :key="character.id"
              :title="`Restore ${character.name}`"
              @click="restore(character)"
          /></v-list>
        </v-menu>
        <span class="space" />
        <v-btn to="/cast/live">Live</v-btn>
        <FileButton label="Bring in a character" :accept="FIGURES + COMPANIONS" @files="bringIn" />
      </div>
      <StageCanvas
        v-model:canvas="canvas"
        :stage="stage"
        label="The characters side by side, to scale"
        :loading="loading ? 'Fetching the figures …' : ''"
        @pointerdown="pressed = { x: $event.clientX, y: $event.clientY }"
        @pointerup="release"
      >
        <button
          v-for="label in labels"
          :key="label.key"
          class="plain label"
          :class="{ here: label.key === chosenKey, over: dropping === label.key, waiting: label.waiting }"
          :style="{ left: `${label.x}px`, top: `${label.y}px` }"
          @click="choose(label.key)"
          @contextmenu="menu($event, label.key)"
        >
          <span>{{ label.name }}</span><span class="mono quiet">{{
            label.waiting ? `waits, ${label.height}` : label.height
          }}</span>
          <span v-if="label.problem" class="problem">{{ label.problem }}</span>
        </button>
      </StageCanvas>
    </section>
    <aside v-if="waiting" class="pane sheet" aria-label="A character waits for a decision">
      <WaitingSheet
        :file="waiting"
        :busy="!!intake.summary?.accepting"
        @accepted="choose(null)"
        @close="choose(null)"
      />
    </aside>
    <aside v-else-if="chosen" class="pane sheet" :aria-label="`Sheet of ${chosen.name}`">
      <CharacterSheet
        :key="chosen.id"
        :character="chosen"
        @pose="bend"
        @close="choose(null)"
        @perform="perform"
        @point="(bone) => (pointed = bone)"
      />
    </aside>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 12px 20px;
}
.label {
  position: absolute;
  transform: translate(-50%, 4px);
  display: grid;
  justify-items: center;
  padding: 2px 10px;
  border-bottom: 2px solid transparent;
  line-height: 1.25;
  white-space: nowrap;
}
.label .mono {
  font-size: 12.5px;
}
.problem {
  max-width: 210px;
  white-space: normal;
  text-align: center;
  font-size: 13px;
  color: var(--wrong);
}
.label.here,
.label.over {
  border-bottom-color: var(--accent);
}
.label.waiting {
  margin-top: 26px;
  border: 1px dashed var(--accent);
  border-radius: 3px;
  background: var(--panel);
}
.sheet {
  width: 318px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
  padding: 16px 18px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
</style>
