<script setup lang="ts">
import { useLocalStorage, useResizeObserver } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import FileButton from '@/shared/frame/FileButton.vue'
import TryMuseum from '@/shared/frame/TryMuseum.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useAddress } from '@/shared/useAddress'
import { MOTION } from '@/stores/arrivals'
import { useCast } from '@/stores/cast'
import { useIntake } from '@/stores/intake'
import { useLibrary, type Clip } from '@/stores/library'
import { COMPANIONS } from '@/stores/uploads'
import ClipCard from './ClipCard.vue'
import ClipFilters from './ClipFilters.vue'
import ClipList from './ClipList.vue'
import RenameDialog from './RenameDialog.vue'
import SelectionBar from './SelectionBar.vue'
import SkeletonList from './SkeletonList.vue'
import { LIST_ROW } from './clipFacts'
import { useClipFilter } from './useClipFilter'
import { useClipMenu } from './useClipMenu'

const ROW_HEIGHT = 236

const library = useLibrary()
const cast = useCast()
const intake = useIntake()
const route = useRoute()
const router = useRouter()
const retired = ref(route.query.retired === 'yes')
const filter = useClipFilter(retired, route.query)
useAddress(filter.inAddress)
const { skeleton, present, shown, isFiltered, clear } = filter
const LAYOUTS = ['plates', 'list'] as const
const layout = useLocalStorage<(typeof LAYOUTS)[number]>('armuto.library.layout', 'plates')
const selected = ref(new Set<number>())
const renaming = ref(false)
const width = ref(900)
const grid = ref<HTMLElement>()
let lastPicked = -1

const waiting = computed(() => intake.motion.length)
const tags = computed(() => [...new Set(library.clips.flatMap((clip) => clip.tags))].sort())
/** In the order in which they were ticked. */
const ids = computed(() => {
  const there = new Set(shown.value.map((clip) => clip.id))
  return [...selected.value].filter((id) => there.has(id))
})
const columns = computed(() => Math.max(1, Math.floor((width.value - 26) / 316)))
/** Rows of cards: only those in sight are drawn, however many clips there are. */
const rows = computed(() => {
  const out: { key: string; clips: Clip[] }[] = []
  for (let at = 0; at < shown.value.length; at += columns.value) {
    const clips = shown.value.slice(at, at + columns.value)
    out.push({ key: clips.map((clip) => clip.id).join('.'), clips })
  }
  return out
})

/** Select a clip or not, with Shift all from the last one on. */
function pick(clip: Clip, shift: boolean) {
  const at = shown.value.indexOf(clip)
  const now = new Set(selected.value)
  const on = !now.has(clip.id)
  const [from, to] = shift && lastPicked >= 0 ? [Math.min(at, lastPicked), Math.max(at, lastPicked)] : [at, at]
  for (const { id } of shown.value.slice(from, to + 1)) {
    if (on) now.add(id)
    else now.delete(id)
  }
  lastPicked = at
  selected.value = now
}
const menu = useClipMenu(
  (clip) => selected.value.has(clip.id),
  (clip) => pick(clip, false),
)
const selectAll = () => (selected.value = new Set(shown.value.map((clip) => clip.id)))
const selectNone = () => (selected.value = new Set())

async function bringIn(files: File[]) {
  void router.push('/library/intake')
  await intake.bringIn(files, 'auto')
}
useShortcuts('Library', {
  search: () => document.querySelector<HTMLInputElement>('.search input')?.focus(),
  layout: () => void (layout.value = layout.value === 'list' ? 'plates' : 'list'),
  selectAll,
  selectNone: () => selected.value.size > 0 && selectNone(),
})
useResizeObserver(grid, ([entry]) => (width.value = entry.contentRect.width))
watch(retired, selectNone)
/** A link to a clip shows it among the others, whatever was filtered. */
watch(
  () => [route.query.clip, library.loaded],
  async () => {
    const id = Number(route.query.clip)
    if (!id || !library.loaded) return
    clear()
    await nextTick()
    const at = shown.value.findIndex((clip) => clip.id === id)
    const top = layout.value === 'list' ? at * LIST_ROW : Math.floor(at / columns.value) * ROW_HEIGHT
    if (at >= 0) grid.value?.querySelector('.v-virtual-scroll')?.scrollTo({ top })
  },
  { immediate: true },
)
onMounted(() => void intake.refresh())
</script>

<template>
  <div v-if="library.loaded && !library.clips.length" class="view">
    <div class="empty">
      <h1>The library is empty</h1>
      <p>
        Bring in motion first: BVH, glTF, COLLADA or USD, one by one or many in a .zip. Clips on the same skeleton are
        kept together and set up once.
      </p>
      <FileButton label="Bring in motion" :accept="MOTION + COMPANIONS" :doing="!waiting" @files="bringIn" />
      <v-btn v-if="waiting" class="doing" to="/library/intake">
        Decide on {{ waiting === 1 ? 'one file' : `${waiting} files` }} in the intake
      </v-btn>
      <p class="quiet">
        Or drop files anywhere in this window, or
        <router-link to="/library/sources">watch a folder or a library</router-link>.
      </p>
      <TryMuseum />
    </div>
  </div>
  <!-- Nothing before it is known which of the two it is: a button swapped away would lose the files chosen with it. -->
  <div v-else-if="library.loaded" class="view">
    <SkeletonList v-model:skeleton="skeleton" v-model:retired="retired" :present="present" />
    <section class="clips">
      <div class="bar">
        <h1>{{ retired ? 'Retired' : 'Clips' }}</h1>
        <ClipFilters :filter="filter" :tags="tags" />
        <span class="space" />
        <div class="choice" role="group" aria-label="How clips are shown">
          <button
            v-for="kind in LAYOUTS"
            :key="kind"
            v-bind="withKey('Library', 'layout')"
            :aria-pressed="layout === kind"
            @click="layout = kind"
          >
            {{ kind === 'list' ? 'List' : 'Plates' }}
          </button>
        </div>
        <v-btn v-if="waiting" to="/library/intake"
          >Intake <span class="mono count">{{ waiting }}</span></v-btn
        >
        <FileButton
          label="Bring in motion"
          :accept="MOTION + COMPANIONS"
          :doing="!cast.characters.length"
          @files="bringIn"
        />
      </div>
      <div ref="grid" class="grid">
        <ClipList
          v-if="layout === 'list'"
          :clips="shown"
          :selected="selected"
          :marked="Number(route.query.clip)"
          :filter="filter"
          @pick="pick"
          @menu="menu"
        />
        <v-virtual-scroll v-else :items="rows" :item-height="ROW_HEIGHT" item-key="key">
          <template #default="{ item }">
            <div class="line" :style="{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }">
              <ClipCard
                v-for="clip in item.clips"
                :key="clip.id"
                :clip="clip"
                :selected="selected.has(clip.id)"
                :picking="selected.size > 0"
                :marked="Number(route.query.clip) === clip.id"
                @pick="(shift) => pick(clip, shift)"
                @contextmenu="menu($event, clip)"
              />
            </div>
          </template>
        </v-virtual-scroll>
      </div>
      <p v-if="!shown.length" class="quiet none">
        {{ retired && !present.length ? 'No clip has been retired.' : 'No clip is like that.' }}
        <button v-if="isFiltered" class="plain word" @click="clear">Show all</button>
      </p>
      <SelectionBar
        v-if="ids.length"
        :ids="ids"
        :shown="shown.length"
        :tags="tags"
        :retired="retired"
        @select-all="selectAll"
        @select-none="selectNone"
        @rename="renaming = true"
      />
      <div v-else-if="isFiltered" class="count-line quiet" role="status">
        {{ shown.length }} of {{ present.length }} clips
      </div>
    </section>
    <RenameDialog v-model="renaming" :ids="ids" />
  </div>
</template>

<style scoped>
.clips {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 12px 20px;
  flex-wrap: wrap;
}
.count {
  margin-left: 6px;
  color: var(--quiet);
}
.grid {
  flex: 1;
  min-height: 0;
}
.grid > :deep(.v-virtual-scroll) {
  height: 100%;
  background: var(--paper);
}
.line {
  display: grid;
  gap: 14px;
  padding: 0 20px 14px;
  height: 236px;
}
.none {
  padding: 0 24px 24px;
}
.count-line {
  padding: 8px 20px;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  font-size: 14px;
}
</style>
