<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client, type Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import { inUnits } from '@/shared/units'
import type { State } from '@/stores/board'
import { useLatest } from '@/shared/useLatest'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import { spent, timeLeft, useRuns, type Run } from '@/stores/runs'

/**
 * What runs and what ran. One that is chosen shows its items: those at work, then what failed, what is done and what
 * waits.
 */
const runs = useRuns()
const messages = useMessages()
const route = useRoute()
const router = useRouter()
const items = shallowRef<Schemas['RunItemOut'][]>([])
const loaded = ref(false)
const id = computed(() => Number(route.params.id) || runs.history[0]?.id)
const chosen = computed(() => runs.history.find((run) => run.id === id.value))
const only = ref('')

// An answer from before the run's end may come after the one at its end, and nothing asks again then.
const latest = useLatest()
async function look() {
  const run_id = id.value
  if (!run_id) return
  await latest(
    () =>
      answer(client.GET('/api/runs/{run_id}/items', { params: { path: { run_id }, query: { state: only.value } } })),
    (rows) => (items.value = rows),
  )
}
async function load() {
  await runs.load()
  loaded.value = true
  await look()
}
// The items of what runs are asked for every other second: work is there to be done, not to be watched. The list where
// one began or ended.
const OFTEN = 1900
let looked = 0
watch(
  () => runs.counts,
  () => {
    if (!runs.running.length || performance.now() - looked < OFTEN) return
    looked = performance.now()
    void look().catch(messages.fail)
  },
)
watch([id, only], () => void look().catch(messages.fail))
watch(
  () => [runs.moved, runs.running.map((run) => run.id).join()],
  (now, before) => (now[1] !== before[1] || !runs.running.length ? void load().catch(messages.fail) : undefined),
)
onMounted(() => load().catch(messages.fail))
useChanges().on(['renditions'], () => load().catch(messages.fail))

const act = (run: Run, what: 'stop' | 'continue' | 'retry') => runs.act(run, what).then(load).catch(messages.fail)
const markOf = (item: Schemas['RunItemOut']): State =>
  item.state === 'done'
    ? (item.grade as State) || 'not yet'
    : item.state === 'waiting' && chosen.value?.state === 'stopped'
      ? 'not yet'
      : (item.state as State)
function saying(run: Run) {
  const parts = [
    run.good && `${run.good} good`,
    run.look && `${run.look} to look at`,
    run.wrong && `${run.wrong} wrong`,
    run.failed && `${run.failed} failed`,
  ].filter(Boolean)
  if (run.state === 'running')
    return `${run.through} of ${run.total}${run.left === null ? '' : `, ${timeLeft(run.left)}`}`
  if (run.state === 'stopped') return `stopped at ${run.through} of ${run.total}`
  return parts.join(', ') || 'nothing was left to do'
}
const when = (text: string) =>
  new Date(text).toLocaleString(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
</script>

<template>
  <div v-if="loaded && !runs.history.length" class="view">
    <div class="empty">
      <h1>Nothing ran yet</h1>
      <p>Every batch of transfers is kept here: how far it is, what failed and why, and how long it took.</p>
      <v-btn class="doing" to="/board">Sweep cells on the board</v-btn>
    </div>
  </div>
  <div v-else-if="loaded" class="view">
    <aside class="pane list" aria-label="Runs">
      <h1>Runs</h1>
      <button
        v-for="run in runs.history"
        :key="run.id"
        class="plain run"
        :aria-current="run.id === id"
        @click="router.replace(`/runs/${run.id}`)"
      >
        <span class="title">{{ run.title }}</span>
        <span class="quiet">{{ saying(run) }}</span>
        <span v-if="run.state !== 'finished'" class="line"
          ><span :style="{ width: `${Math.round((run.through / Math.max(1, run.total)) * 100)}%` }"
        /></span>
      </button>
    </aside>
    <section v-if="chosen" class="chosen">
      <div class="bar">
        <div>
          <h1>{{ chosen.title }}</h1>
          <p class="quiet">
            Started {{ when(chosen.created) }},
            {{
              chosen.state === 'finished' ? `took ${spent(chosen.worked)}` : `${spent(chosen.worked)} of work so far`
            }}. {{ saying(chosen) }}.
          </p>
        </div>
        <span class="space"></span>
        <v-btn v-if="chosen.state === 'running'" @click="act(chosen, 'stop')">Stop</v-btn>
        <v-btn v-if="chosen.state === 'stopped'" class="doing" @click="act(chosen, 'continue')">Continue</v-btn>
        <v-btn v-if="chosen.failed" @click="act(chosen, 'retry')">Try the {{ chosen.failed }} failed again</v-btn>
        <v-btn v-if="chosen.done" to="/review">Review</v-btn>
      </div>
      <div
        v-if="chosen.state !== 'finished'"
        class="line wide"
        role="progressbar"
        :aria-valuenow="chosen.through"
        :aria-valuemax="chosen.total"
      >
        <span :style="{ width: `${(chosen.through / Math.max(1, chosen.total)) * 100}%` }" />
      </div>
      <div class="choice" role="group" aria-label="Which items">
        <button
          v-for="(word, key) in {
            '': `all ${chosen.total}`,
            running: `at work ${chosen.running}`,
            failed: `failed ${chosen.failed}`,
            done: `done ${chosen.done}`,
            waiting: `waiting ${chosen.waiting}`,
          }"
          :key="key"
          :aria-pressed="only === key"
          @click="only = key"
        >
          {{ word }}
        </button>
      </div>
      <table>
        <thead>
          <tr>
            <th>state</th>
            <th>clip</th>
            <th>character</th>
            <th class="number">seconds</th>
            <th>made from</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in items" :key="item.id">
            <td>
              <span class="state"
                ><StateMark :state="markOf(item)" />
                {{
                  item.state === 'done'
                    ? item.grade
                    : item.state === 'running'
                      ? `running, ${Math.round(item.progress * 100)} %`
                      : item.state
                }}</span
              >
            </td>
            <td>
              <router-link v-if="item.state === 'done'" :to="`/review/${item.rendition_id}`">{{
                item.clip
              }}</router-link>
              <span v-else>{{ item.clip }}</span>
              <span v-if="item.sentence" class="wrong">{{ inUnits(item.sentence) }}</span>
            </td>
            <td>{{ item.character }}</td>
            <td class="mono number">{{ item.seconds ? item.seconds.toFixed(2) : '' }}</td>
            <td class="quiet">{{ item.made_from }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="items.length && items.length < chosen.total && !only" class="quiet">
        The first {{ items.length }} are shown.
      </p>
    </section>
  </div>
</template>

<style scoped>
.list {
  width: 320px;
  padding: 14px 0;
}
.list h1 {
  padding: 0 18px 8px;
}
.run {
  display: grid;
  gap: 2px;
  width: 100%;
  padding: 8px 18px;
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
}
.run:hover,
.run[aria-current='true'] {
  background: rgb(var(--v-theme-surface-variant));
}
.title {
  font-weight: 500;
}
.chosen {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 14px 24px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.chosen > * {
  flex: none;
}
.chosen > .choice {
  align-self: flex-start;
}
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.line {
  height: 2px;
  background: var(--hairline);
}
.line span {
  display: block;
  height: 100%;
  background: var(--accent);
  transition: width 150ms;
}
.line.wide {
  height: 4px;
}
table {
  border-collapse: collapse;
  background: var(--panel);
  border: 1px solid var(--hairline);
  font-size: 14px;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
}
th,
td {
  padding: 5px 12px;
  border-bottom: 1px solid var(--hairline);
}
.number {
  text-align: right;
}
.state {
  display: inline-flex;
  gap: 7px;
  align-items: center;
  white-space: nowrap;
}
td .wrong {
  display: block;
  color: var(--wrong);
}
</style>
