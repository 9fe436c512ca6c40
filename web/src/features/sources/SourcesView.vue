<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRoute } from 'vue-router'

import DraftInput from '@/shared/fields/DraftInput.vue'
import { useAddress } from '@/shared/useAddress'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import { useSources } from '@/stores/sources'
import NewSource from './NewSource.vue'
import SourceItems from './SourceItems.vue'

/** The sources of files: what is watched, what was found in each, and what is wrong with it. */
const sources = useSources()
const messages = useMessages()
const route = useRoute()
const at = ref(Number(route.query.source) || 0)
useAddress({ source: () => String(at.value || '') })
const here = computed(() => sources.rows.find((row) => row.id === at.value) ?? sources.rows[0])
const load = () => sources.load().catch(messages.fail)

const change = (wanted: Parameters<typeof sources.change>[1]) => {
  const row = here.value
  if (row) void messages.attempt((again) => sources.change(row, wanted, again), load)
}
async function look() {
  if (here.value) await sources.look(here.value.id).catch(messages.fail)
}
async function remove() {
  const row = here.value
  if (!row) return
  const { kind, location, name, moves, accepts } = row
  try {
    await sources.remove(row.id)
    messages.say(`“${name}” is ${kind === 'stage' ? 'forgotten' : 'watched no longer'}. What came from it stays.`, {
      label: 'Undo',
      run: async () => (at.value = (await sources.add({ kind, location, name, moves, accepts })).id),
    })
  } catch (problem) {
    messages.fail(problem)
  }
}
const textOf = (event: Event) => (event.target as HTMLInputElement).value
const isTicked = (event: Event) => (event.target as HTMLInputElement).checked
useChanges().on(['sources', 'ingest'], load)
onMounted(load)
</script>

<template>
  <div v-if="sources.loaded" class="view">
    <aside class="pane list" aria-label="Sources">
      <div class="title">
        <h1>Sources</h1>
        <router-link class="way quiet" to="/library">Library</router-link>
      </div>
      <ul v-if="sources.rows.length">
        <li v-for="row in sources.rows" :key="row.id">
          <button
            class="plain row"
            :class="{ here: row.id === here?.id }"
            :aria-current="row.id === here?.id || undefined"
            @click="at = row.id"
          >
            <span>{{ row.name }}</span>
            <span class="quiet"
              >{{ row.kind }}{{ row.active ? '' : ', not watched' }} · {{ row.taken }} came in<template
                v-if="row.offered"
              >
                · {{ row.offered }} new</template
              ></span
            >
            <span v-if="row.sentence" class="wrong">✕ {{ row.sentence }}</span>
          </button>
        </li>
      </ul>
      <NewSource @added="(id) => (at = id)" />
    </aside>
    <section v-if="here" class="source" :aria-label="here.name">
      <div class="about">
        <DraftInput
          class="name"
          :value="here.name"
          aria-label="Name of the source"
          @change="textOf($event).trim() && change({ name: textOf($event) })"
        />
        <span class="mono quiet where" :title="here.location">{{ here.location }}</span>
        <label v-if="here.kind !== 'stage'"
          ><input type="checkbox" :checked="here.active" @change="change({ active: isTicked($event) })" />watched</label
        >
        <label title="On skeletons of which clips were accepted from here before; anything else waits for you"
          ><input type="checkbox" :checked="here.accepts" @change="change({ accepts: isTicked($event) })" />accept what
          is like before</label
        >
        <label v-if="here.kind === 'folder'"
          ><input type="checkbox" :checked="here.moves" @change="change({ moves: isTicked($event) })" />put aside</label
        >
        <v-btn v-if="here.kind === 'stage'" class="doing" :to="`/cast/live?source=${here.id}`">Perform live</v-btn>
        <v-btn v-else @click="look">Look now</v-btn>
        <button class="plain word" @click="remove">
          {{ here.kind === 'stage' ? 'Forget it' : 'Watch no longer' }}
        </button>
      </div>
      <p v-if="here.sentence" class="wrong sentence" role="status">{{ here.sentence }}</p>
      <SourceItems :source="here" />
    </section>
    <div v-else class="empty">
      <h1>Nothing is watched yet</h1>
      <p>
        A source is a folder in which others put motion and figures, such as a capture stage; the address of a library
        that lends them; or a stage that streams what it captures. What is new comes to you: a folder’s files into the
        intake, a library’s to be chosen, a stage’s to be performed live and recorded.
      </p>
    </div>
  </div>
</template>

<style scoped>
.list {
  width: 300px;
}
.title {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 12px 16px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0 0 10px;
}
.row {
  display: grid;
  width: 100%;
  padding: 7px 16px;
  border-left: 3px solid transparent;
}
.row .quiet,
.row .wrong {
  font-size: 13.5px;
}
.here {
  border-left-color: var(--accent);
  background: var(--paper);
}
.wrong {
  color: var(--wrong);
  overflow-wrap: anywhere;
}
.source {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.about {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  padding: 9px 20px;
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
}
.about label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  min-height: 24px;
}
.name {
  width: 228px;
  min-height: 30px;
  font-size: 1rem;
  text-overflow: ellipsis;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: inherit;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
  background: var(--panel);
}
.where {
  flex: 1 1 60px;
  min-width: 60px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.sentence {
  padding: 8px 20px;
}
</style>
