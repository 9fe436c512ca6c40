<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { useLatest } from '@/shared/useLatest'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import { useSources, type Source, type SourceItem } from '@/stores/sources'

/** What lies in a source: files of a folder as far as they have come, or what a library offers, to be brought in. */
const props = defineProps<{ source: Source }>()
const sources = useSources()
const messages = useMessages()
const latest = useLatest()
const items = shallowRef<SourceItem[] | null>(null)
const text = ref('')
const ticked = ref(new Set<number>())
const busy = ref(false)

const WORDS: Record<SourceItem['state'], string> = {
  new: 'new',
  newer: 'newer than what came in',
  waiting: 'waiting',
  fetching: 'on its way',
  taken: 'came in',
  refused: 'could not be taken',
  gone: 'no longer there',
}
const isLibrary = computed(() => props.source.kind === 'address')
const NOTHING: Record<Source['kind'], string> = {
  folder:
    'No file that can be read lies in it yet. What is put there comes into the intake by itself, once nobody writes to it any more.',
  address: 'It offers nothing that can be read here.',
  stage: 'Nothing was recorded from it yet. Let a character perform live what it streams, and record a stretch of it.',
}
const open = (item: SourceItem) => ['new', 'newer', 'refused'].includes(item.state)
const load = () =>
  latest(
    () => sources.items(props.source.id).catch(messages.fail),
    (found) => found && (items.value = found),
  )
watch(
  () => props.source.id,
  () => {
    items.value = null
    ticked.value = new Set()
    text.value = ''
    void load()
  },
  { immediate: true },
)
useChanges().on(['sources', 'ingest', 'library', 'cast'], load)
const name = (item: SourceItem) => item.facts.name ?? item.key
const about = (item: SourceItem) =>
  [
    item.facts.format?.toUpperCase(),
    item.facts.mesh ? 'with mesh' : item.facts.kind === 'motion' ? 'bones alone' : '',
    item.facts.frames && item.facts.fps ? `${(item.facts.frames / item.facts.fps).toFixed(1)} s` : '',
    item.facts.bytes ? `${(item.facts.bytes / 1e6).toFixed(1)} MB` : '',
  ]
    .filter(Boolean)
    .join(' · ')
const shown = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (items.value ?? []).filter((item) => {
    const all = `${item.key} ${name(item)} ${item.facts.pack ?? ''} ${(item.facts.tags ?? []).join(' ')}`.toLowerCase()
    return words.every((word) => all.includes(word))
  })
})
/** Items by their packs, in the order in which these come. */
const packs = computed(() => {
  const out = new Map<string, SourceItem[]>()
  for (const item of shown.value) {
    const pack = item.facts.pack ?? ''
    out.set(pack, [...(out.get(pack) ?? []), item])
  }
  return [...out]
})
const wanted = computed(() => shown.value.filter((item) => ticked.value.has(item.id) && open(item)))
function tick(ids: number[]) {
  const now = new Set(ticked.value)
  const all = ids.every((id) => now.has(id))
  for (const id of ids) {
    if (all) now.delete(id)
    else now.add(id)
  }
  ticked.value = now
}
async function bringIn(ids: number[]) {
  if (!ids.length || busy.value) return
  busy.value = true
  await sources.fetchItems(props.source.id, ids).catch(messages.fail)
  ticked.value = new Set()
  await load()
  busy.value = false
}
</script>

<template>
  <div class="items">
    <div v-if="items?.length" class="bar">
      <input v-model="text" class="find" type="search" placeholder="Find in it" aria-label="Find in this source" />
      <span class="quiet">{{ shown.length === 1 ? 'one item' : `${shown.length} items` }}</span>
      <span class="space"></span>
      <v-btn
        v-if="isLibrary"
        class="doing"
        :disabled="!wanted.length || busy"
        @click="bringIn(wanted.map((item) => item.id))"
        >Bring in {{ wanted.length || '' }}</v-btn
      >
      <v-btn to="/library/intake">To the intake</v-btn>
    </div>
    <p v-if="!items" class="quiet none">Looking …</p>
    <p v-else-if="!items.length" class="quiet none">
      {{ NOTHING[source.kind] }}
    </p>
    <p v-else-if="!shown.length" class="quiet none">Nothing in it is called so.</p>
    <table v-else-if="!isLibrary" class="files">
      <tbody>
        <tr v-for="item in shown" :key="item.id">
          <td class="mono">{{ item.key }}</td>
          <td :class="{ wrong: item.state === 'refused', quiet: item.state === 'gone' }">
            {{ item.state === 'new' ? 'being written' : WORDS[item.state] }}
          </td>
          <td>
            {{ item.sentence }}
            <button v-if="item.state === 'refused'" class="plain word" @click="bringIn([item.id])">Try again</button>
          </td>
        </tr>
      </tbody>
    </table>
    <section v-for="[pack, own] in isLibrary ? packs : []" :key="pack" class="pack" :aria-label="pack">
      <header class="head">
        <h2>{{ pack }}</h2>
        <span class="quiet">{{ own[0].facts.licence }}</span>
        <span class="space"></span>
        <button v-if="own.some(open)" class="plain word" @click="tick(own.filter(open).map((item) => item.id))">
          Tick all of it
        </button>
      </header>
      <ul>
        <li v-for="item in own" :key="item.id" :class="{ ticked: ticked.has(item.id) && open(item) }">
          <label>
            <span class="plate"
              ><img v-if="item.has_plate" :src="`/api/sources/items/${item.id}/plate`" alt="" loading="lazy"
            /></span>
            <span class="line"
              ><input
                v-if="open(item)"
                type="checkbox"
                :checked="ticked.has(item.id)"
                :aria-label="name(item)"
                @change="tick([item.id])"
              /><span class="name">{{ name(item) }}</span
              ><span :class="['quiet', { wrong: item.state === 'refused' }]">{{
                item.state === 'new' ? '' : WORDS[item.state]
              }}</span></span
            >
            <span class="quiet facts">{{ about(item) }}</span>
            <span v-if="item.sentence" class="sentence">{{ item.sentence }}</span>
          </label>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.items {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  padding: 0 20px 30px;
}
.bar {
  position: sticky;
  top: 0;
  z-index: 1;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 10px 0;
  background: var(--paper);
}
.space {
  flex: 1;
}
.find {
  width: 190px;
  min-height: 28px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--panel);
  color: inherit;
  font-size: 14px;
}
.find::placeholder {
  color: var(--quiet);
  opacity: 1;
}
.none {
  padding: 30px 0;
  max-width: 34rem;
}
.files {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
.files td {
  padding: 6px 14px 6px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: top;
}
.wrong {
  color: var(--wrong);
}
.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 12px 0 8px;
}
.pack ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: 12px;
}
.pack li {
  border: 1px solid var(--hairline);
  border-radius: 4px;
  background: var(--panel);
}
.pack li.ticked {
  border-color: var(--accent);
}
.pack label {
  display: grid;
  gap: 2px;
  padding: 8px 10px;
  cursor: pointer;
}
.plate {
  height: 84px;
  display: grid;
  place-items: center;
}
.plate img {
  max-width: 100%;
  max-height: 84px;
}
.line {
  display: flex;
  gap: 7px;
  align-items: center;
  min-height: 24px;
}
.name {
  flex: 1;
}
.line .quiet,
.facts,
.sentence {
  font-size: 13.5px;
}
.sentence {
  color: var(--wrong);
}
</style>
