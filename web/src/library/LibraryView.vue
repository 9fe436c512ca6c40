<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import FileButton from '@/frame/FileButton.vue'
import { MOTION, useArrivals } from '@/stores/arrivals'
import { useCast } from '@/stores/cast'
import { useLibrary, type Clip } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { openFitting } from '@/fitting/open'
import PlateDrawing from './PlateDrawing.vue'

const library = useLibrary()
const cast = useCast()
const route = useRoute()
const router = useRouter()
const messages = useMessages()
const text = ref('')
const skeleton = ref<number | null>(null)
const hovered = ref<number | null>(null)
const chosen = computed(() => (route.query.clip ? Number(route.query.clip) : null))

const shown = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return library.clips.filter(
    (clip) =>
      (skeleton.value === null || clip.skeleton_id === skeleton.value) &&
      words.every((word) => clip.name.toLowerCase().includes(word)),
  )
})
const first = (id: number) => library.clips.find((clip) => clip.skeleton_id === id)

function choose(clip: Clip) {
  void router.replace({ query: chosen.value === clip.id ? {} : { clip: clip.id } })
}
async function bringIn(files: File[]) {
  const found = await useArrivals().bringIn(files, 'library')
  if (found.clips.length) messages.say(`Brought in ${found.clips.length === 1 ? 'one clip' : `${found.clips.length} clips`}.`)
}
const perform = (clip: Clip, character: number) => openFitting(router, clip.id, character).catch(messages.fail)
const travel = (clip: Clip) => (clip.travel < 0.05 ? 'stays' : `${(clip.travel * 100).toFixed(0)} cm`)
watch(chosen, () => {
  const found = document.querySelector('.clip[aria-current="true"]')
  found?.scrollIntoView({ block: 'nearest' })
})
</script>

<template>
  <div v-if="library.loaded && !library.clips.length" class="view">
    <div class="empty">
      <h1>The library is empty</h1>
      <p>Bring in motion first: BVH, glTF, COLLADA or USD, one by one or many in a .zip. Clips on the same skeleton are kept together and set up once.</p>
      <FileButton label="Bring in motion" :accept="MOTION" doing @files="bringIn" />
      <p class="quiet">Or drop files anywhere in this window.</p>
    </div>
  </div>
  <!-- Nothing before it is known which of the two it is: a button that is swapped away would lose the files chosen with it. -->
  <div v-else-if="library.loaded" class="view">
    <aside class="pane skeletons" aria-label="Library skeletons">
      <h2>Library skeletons</h2>
      <button class="plain row" :aria-pressed="skeleton === null" @click="skeleton = null">
        <span class="all">All clips</span><span class="mono quiet">{{ library.clips.length }}</span>
      </button>
      <button v-for="body in library.skeletons" :key="body.id" class="plain row" :aria-pressed="skeleton === body.id" @click="skeleton = body.id">
        <span class="small"><PlateDrawing v-if="first(body.id)" :clip="first(body.id)!" :pose="0" /></span>
        <span class="about">
          <span>{{ body.name }}</span>
          <span class="quiet mono">{{ (body.height * 100).toFixed(0) }} cm, {{ body.joints }} bones</span>
        </span>
        <span class="mono quiet">{{ body.clips }}</span>
      </button>
    </aside>
    <section class="clips">
      <div class="bar">
        <h1>Clips</h1>
        <v-text-field v-model="text" class="search" placeholder="Search by name" aria-label="Search clips by name" clearable />
        <span class="quiet" role="status">{{ shown.length === library.clips.length ? '' : `${shown.length} of ${library.clips.length}` }}</span>
        <span class="space" />
        <FileButton label="Bring in motion" :accept="MOTION" :doing="!cast.characters.length" @files="bringIn" />
      </div>
      <ul class="grid">
        <li v-for="clip in shown" :key="clip.id" class="clip" :aria-current="chosen === clip.id" @mouseenter="hovered = clip.id" @mouseleave="hovered = null">
          <button class="plain picture" :aria-label="`Choose ${clip.name}`" @click="choose(clip)">
            <PlateDrawing :clip="clip" :playing="hovered === clip.id" />
          </button>
          <div class="facts">
            <span class="name">{{ clip.name }}</span>
            <span class="mono quiet">{{ clip.frames }} f · {{ clip.seconds.toFixed(2) }} s · {{ +clip.fps.toFixed(3) }} fps · {{ travel(clip) }}</span>
          </div>
          <div class="actions">
            <v-btn v-if="cast.characters.length === 1" size="small" :class="{ doing: chosen === clip.id }" @click="perform(clip, cast.characters[0].id)">
              See it on {{ cast.characters[0].name }}
            </v-btn>
            <v-menu v-else-if="cast.characters.length">
              <template #activator="{ props: menu }"><v-btn size="small" v-bind="menu" :class="{ doing: chosen === clip.id }">See it on …</v-btn></template>
              <v-list density="compact">
                <v-list-item v-for="one in cast.characters" :key="one.id" :title="one.name" @click="perform(clip, one.id)" />
              </v-list>
            </v-menu>
            <router-link v-else to="/cast" class="quiet">Bring in a character to see it performed</router-link>
          </div>
          <p v-for="note in chosen === clip.id ? clip.notes : []" :key="note" class="note quiet">{{ note }}</p>
        </li>
      </ul>
      <p v-if="library.loaded && !shown.length" class="quiet none">
        No clip is called that. <button class="plain word" @click="((text = ''), (skeleton = null))">Show all</button>
      </p>
    </section>
  </div>
</template>

<style scoped>
.skeletons { width: 248px; padding: 16px 12px; display: flex; flex-direction: column; gap: 4px; }
.skeletons h2 { padding: 0 6px 6px; }
.row { display: flex; align-items: center; gap: 10px; padding: 7px 8px; border-radius: 3px; border-left: 2px solid transparent; }
.row:hover { background: rgb(var(--v-theme-surface-variant)); }
.row[aria-pressed='true'] { border-left-color: var(--accent); background: rgb(var(--v-theme-surface-variant)); }
.row .all, .row .about { flex: 1; display: grid; }
.about .quiet { font-size: 11.5px; white-space: nowrap; }
.small { width: 40px; height: 58px; }
.clips { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 16px; padding: 12px 20px; }
.search { max-width: 250px; min-width: 140px; }
.space { flex: 1; }
.grid { list-style: none; margin: 0; padding: 2px 20px 24px; overflow-y: auto; display: grid; grid-template-columns: repeat(auto-fill, minmax(430px, 1fr)); gap: 14px; align-content: start; }
.clip { background: var(--panel); border: 1px solid var(--hairline); border-radius: 4px; padding: 10px 12px; display: grid; grid-template-columns: 1fr auto; gap: 8px 12px; align-items: center; }
.clip[aria-current='true'] { border-color: var(--accent); }
.picture { grid-column: 1 / -1; height: 178px; }
.facts { display: grid; min-width: 0; }
.name { font-weight: 500; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.facts .mono { font-size: 12.5px; }
.note { grid-column: 1 / -1; font-size: 13.5px; }
.none { padding: 0 24px; }
@media (max-width: 1100px) { .grid { grid-template-columns: repeat(auto-fill, minmax(340px, 1fr)); } }
</style>
