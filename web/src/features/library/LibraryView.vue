<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client } from '@/api/client'
import FileButton from '@/shared/frame/FileButton.vue'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { MOTION } from '@/stores/arrivals'
import { useCast } from '@/stores/cast'
import { useIntake } from '@/stores/intake'
import { useLibrary, type Clip, type LibrarySkeleton } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import ClipCard from './ClipCard.vue'
import ClipPlate from './ClipPlate.vue'
import RenameDialog from './RenameDialog.vue'

const library = useLibrary()
const cast = useCast()
const intake = useIntake()
const route = useRoute()
const router = useRouter()
const messages = useMessages()
const text = ref('')
const skeleton = ref<number | null>(null)
const tag = ref('')
const length = ref('')
const travel = ref('')
const loop = ref('')
const retired = ref(false)
const order = ref('name')
const selected = ref(new Set<number>())
const renaming = ref(false)
const width = ref(900)
const grid = ref<HTMLElement>()
let last = -1

const tags = computed(() => [...new Set(library.clips.flatMap((clip) => clip.tags))].sort())
const bodies = computed(() => new Map(library.skeletons.map((body) => [body.id, body])))
const present = computed(() => library.clips.filter((clip) => clip.retired === retired.value))
const LENGTHS: Record<string, (s: number) => boolean> = { short: (s) => s < 3, middling: (s) => s >= 3 && s < 6, long: (s) => s >= 6 }
const ORDERS: Record<string, (a: Clip, b: Clip) => number> = {
  name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }),
  newest: (a, b) => b.created.localeCompare(a.created) || b.id - a.id,
  longest: (a, b) => b.seconds - a.seconds,
  farthest: (a, b) => b.travel - a.travel,
}
const shown = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return present.value
    .filter((clip) => {
      const about = `${clip.name} ${clip.tags.join(' ')} ${bodies.value.get(clip.skeleton_id)?.name ?? ''}`.toLowerCase()
      return (
        (skeleton.value === null || clip.skeleton_id === skeleton.value) &&
        (!tag.value || clip.tags.includes(tag.value)) &&
        (!length.value || LENGTHS[length.value](clip.seconds)) &&
        (!travel.value || (travel.value === 'travels') === clip.travel >= 0.3) &&
        (!loop.value || (loop.value === 'loops') === clip.loop) &&
        words.every((word) => about.includes(word))
      )
    })
    .sort(ORDERS[order.value])
})
const columns = computed(() => Math.max(1, Math.floor((width.value - 26) / (width.value < 700 ? 340 : 430))))
/** Rows of cards: only those in sight are drawn, however many clips there are. */
const rows = computed(() => {
  const out: { key: string; clips: Clip[] }[] = []
  for (let at = 0; at < shown.value.length; at += columns.value) {
    const clips = shown.value.slice(at, at + columns.value)
    out.push({ key: clips.map((clip) => clip.id).join('.'), clips })
  }
  return out
})
const filtered = computed(() => !!(text.value || tag.value || length.value || travel.value || loop.value || skeleton.value !== null))
const ids = computed(() => shown.value.filter((clip) => selected.value.has(clip.id)).map((clip) => clip.id))
const first = (id: number) => library.clips.find((clip) => clip.skeleton_id === id && !clip.retired)

function clear() {
  text.value = tag.value = length.value = travel.value = loop.value = ''
  skeleton.value = null
}
function pick(clip: Clip, shift: boolean) {
  const at = shown.value.indexOf(clip)
  const now = new Set(selected.value)
  const wanted = !now.has(clip.id)
  const range = shift && last >= 0 ? shown.value.slice(Math.min(at, last), Math.max(at, last) + 1) : [clip]
  for (const one of range) {
    if (wanted) now.add(one.id)
    else now.delete(one.id)
  }
  last = at
  selected.value = now
}
const selectAll = () => (selected.value = new Set(shown.value.map((clip) => clip.id)))
const selectNone = () => (selected.value = new Set())

async function bringIn(files: File[]) {
  void router.push('/library/intake')
  await intake.bringIn(files, 'auto')
}
async function tagAll(wanted: string, on: boolean) {
  if (!wanted.trim()) return
  await library.changeMany(ids.value, on ? { tag: [wanted.trim()] } : { untag: [wanted] }).catch(messages.fail)
}
async function retire(on: boolean) {
  const chosen = ids.value
  await library.changeMany(chosen, { retired: on }).catch(messages.fail)
  selectNone()
  const what = chosen.length === 1 ? 'One clip' : `${chosen.length} clips`
  messages.say(`${what} ${on ? 'retired' : 'restored'}.`, { label: 'Undo', run: () => library.changeMany(chosen, { retired: !on }) })
}
async function renameSkeleton(body: LibrarySkeleton, event: Event) {
  const name = (event.target as HTMLInputElement).value
  if (name.trim() === body.name) return
  try {
    await answer(client.PATCH('/api/library/skeletons/{skeleton_id}', { params: { path: { skeleton_id: body.id } }, body: { name } }))
  } catch (problem) {
    messages.fail(problem)
  }
  await library.load()
}
useShortcuts('Library', {
  search: () => document.querySelector<HTMLInputElement>('.search input')?.focus(),
  selectAll,
  selectNone: () => selected.value.size > 0 && selectNone(),
})
useResizeObserver(grid, ([entry]) => (width.value = entry.contentRect.width))
/** A link to a clip shows it among the others, whatever was filtered. */
watch(
  () => [route.query.clip, library.loaded],
  async () => {
    const wanted = Number(route.query.clip)
    if (!wanted || !library.loaded) return
    clear()
    await nextTick()
    const at = shown.value.findIndex((clip) => clip.id === wanted)
    if (at >= 0) grid.value?.querySelector('.v-virtual-scroll')?.scrollTo({ top: Math.floor(at / columns.value) * 260 })
  },
  { immediate: true },
)
onMounted(() => void intake.refresh())
const waiting = computed(() => intake.motion.length)
</script>

<template>
  <div v-if="library.loaded && !library.clips.length" class="view">
    <div class="empty">
      <h1>The library is empty</h1>
      <p>Bring in motion first: BVH, glTF, COLLADA or USD, one by one or many in a .zip. Clips on the same skeleton are kept together and set up once.</p>
      <FileButton label="Bring in motion" :accept="MOTION" :doing="!waiting" @files="bringIn" />
      <v-btn v-if="waiting" class="doing" to="/library/intake">Decide on {{ waiting === 1 ? 'one file' : `${waiting} files` }} in the intake</v-btn>
      <p class="quiet">Or drop files anywhere in this window.</p>
    </div>
  </div>
  <!-- Nothing before it is known which of the two it is: a button that is swapped away would lose the files chosen with it. -->
  <div v-else-if="library.loaded" class="view">
    <aside class="pane skeletons" aria-label="Library skeletons">
      <h2>Library skeletons</h2>
      <button class="plain row" :aria-pressed="skeleton === null" @click="skeleton = null">
        <span class="all">All clips</span><span class="mono quiet">{{ present.length }}</span>
      </button>
      <div v-for="body in library.skeletons" :key="body.id" class="row" :class="{ here: skeleton === body.id }">
        <button class="plain small" :aria-pressed="skeleton === body.id" :aria-label="`Show the clips of ${body.name}`" @click="skeleton = skeleton === body.id ? null : body.id">
          <ClipPlate v-if="first(body.id)" :clip="first(body.id)!" :pose="0" />
        </button>
        <span class="about">
          <input :value="body.name" :aria-label="`Name of the skeleton ${body.name}`" @change="renameSkeleton(body, $event)" @keydown.enter="($event.target as HTMLInputElement).blur()" />
          <span class="quiet mono">{{ (body.height * 100).toFixed(0) }} cm, {{ body.joints }} bones</span>
        </span>
        <span class="mono quiet">{{ present.filter((clip) => clip.skeleton_id === body.id).length }}</span>
      </div>
      <span class="space" />
      <button class="plain word retired" :aria-pressed="retired" @click="((retired = !retired), selectNone())">{{ retired ? 'Back to the clips in use' : `Retired clips (${library.clips.filter((clip) => clip.retired).length})` }}</button>
    </aside>
    <section class="clips">
      <div class="bar">
        <h1>{{ retired ? 'Retired' : 'Clips' }}</h1>
        <v-text-field v-model="text" class="search" placeholder="Name, tag or skeleton" aria-label="Search clips" clearable />
        <select v-model="tag" aria-label="Tag"><option value="">any tag</option><option v-for="one in tags" :key="one">{{ one }}</option></select>
        <select v-model="length" aria-label="Length"><option value="">any length</option><option value="short">under 3 s</option><option value="middling">3 to 6 s</option><option value="long">over 6 s</option></select>
        <select v-model="travel" aria-label="Travel"><option value="">any travel</option><option>travels</option><option>stays</option></select>
        <select v-model="loop" aria-label="Loop"><option value="">loop or not</option><option>loops</option><option value="not">does not</option></select>
        <select v-model="order" aria-label="Order"><option value="name">by name</option><option value="newest">newest first</option><option value="longest">longest first</option><option value="farthest">farthest first</option></select>
        <span class="space" />
        <v-btn v-if="waiting" to="/library/intake">Intake <span class="mono count">{{ waiting }}</span></v-btn>
        <FileButton label="Bring in motion" :accept="MOTION" :doing="!cast.characters.length" @files="bringIn" />
      </div>
      <div ref="grid" class="grid">
        <v-virtual-scroll :items="rows" :item-height="260" item-key="key">
          <template #default="{ item }">
            <div class="line" :style="{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }">
              <ClipCard v-for="clip in item.clips" :key="clip.id" :clip="clip" :selected="selected.has(clip.id)" :picking="selected.size > 0" :marked="Number(route.query.clip) === clip.id" @pick="(shift) => pick(clip, shift)" />
            </div>
          </template>
        </v-virtual-scroll>
      </div>
      <p v-if="!shown.length" class="quiet none">
        {{ retired && !present.length ? 'No clip has been retired.' : 'No clip is like that.' }}
        <button v-if="filtered" class="plain word" @click="clear">Show all</button>
      </p>
      <div v-if="ids.length" class="together" role="region" aria-label="Selected clips">
        <span>{{ ids.length === 1 ? 'One clip' : `${ids.length} clips` }} selected</span>
        <button class="plain word" @click="selectAll">All {{ shown.length }} shown</button>
        <button class="plain word" @click="selectNone">None</button>
        <span class="space" />
        <v-menu :close-on-content-click="false">
          <template #activator="{ props: menu }"><v-btn size="small" v-bind="menu">Tag</v-btn></template>
          <v-card class="tagging">
            <input placeholder="new tag" aria-label="Tag for the selected clips" @keydown.enter="(event) => (tagAll((event.target as HTMLInputElement).value, true), ((event.target as HTMLInputElement).value = ''))" />
            <div v-for="one in tags" :key="one" class="tagrow"><span>{{ one }}</span><button class="plain word" @click="tagAll(one, true)">give</button><button class="plain word" @click="tagAll(one, false)">take</button></div>
          </v-card>
        </v-menu>
        <v-btn size="small" @click="renaming = true">Rename by a rule</v-btn>
        <v-btn v-if="retired" size="small" @click="retire(false)">Restore</v-btn>
        <v-btn v-else size="small" @click="retire(true)">Retire</v-btn>
      </div>
      <div v-else-if="filtered" class="together quiet" role="status">{{ shown.length }} of {{ present.length }} clips</div>
    </section>
    <RenameDialog v-model="renaming" :ids="ids" />
  </div>
</template>

<style scoped>
.skeletons { width: 248px; padding: 16px 12px; display: flex; flex-direction: column; gap: 4px; }
.skeletons h2 { padding: 0 6px 6px; }
.row { display: flex; align-items: center; gap: 10px; padding: 7px 8px; border-radius: 3px; border-left: 2px solid transparent; }
.row:hover { background: rgb(var(--v-theme-surface-variant)); }
.row[aria-pressed='true'], .row.here { border-left-color: var(--accent); background: rgb(var(--v-theme-surface-variant)); }
.row .all, .row .about { flex: 1; display: grid; min-width: 0; }
.about .quiet { font-size: 11.5px; white-space: nowrap; }
.about input { font: inherit; color: inherit; background: none; border: 1px solid transparent; border-radius: 3px; min-width: 0; padding: 0 3px; margin-left: -4px; }
.about input:hover, .about input:focus { border-color: var(--hairline); background: var(--panel); }
.small { width: 44px; height: 60px; flex: none; }
.retired { font-size: 13.5px; color: var(--quiet); padding: 4px 8px; }
.clips { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 8px; padding: 12px 20px; }
.search { max-width: 220px; min-width: 130px; }
.bar select { border: 1px solid var(--hairline); background: var(--panel); color: inherit; font: inherit; font-size: 13.5px; border-radius: 3px; padding: 3px 2px; min-height: 32px; max-width: 112px; }
.count { margin-left: 6px; color: var(--quiet); }
.space { flex: 1; }
.grid { flex: 1; min-height: 0; }
.grid > :deep(.v-virtual-scroll) { height: 100%; background: var(--paper); }
.line { display: grid; gap: 14px; padding: 0 20px 14px; height: 260px; }
.none { padding: 0 24px 24px; }
.together { display: flex; align-items: center; gap: 14px; padding: 8px 20px; border-top: 1px solid var(--hairline); background: var(--panel); font-size: 14px; }
.tagging { padding: 10px 12px; background: var(--panel); display: grid; gap: 4px; min-width: 200px; }
.tagging input { border: 1px solid var(--hairline); background: var(--panel); color: inherit; font: inherit; font-size: 14px; border-radius: 3px; padding: 3px 7px; min-height: 30px; }
.tagrow { display: flex; gap: 10px; font-size: 14px; }
.tagrow span { flex: 1; }
@media (max-width: 1100px) { .bar select { max-width: 84px; } .skeletons { width: 214px; } .search { max-width: 150px; } }
</style>
