<script setup lang="ts">
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import FileButton from '@/shared/frame/FileButton.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { asked, useAddress } from '@/shared/useAddress'
import { cellsOf, useCallSheet, WANTED_STATES, type WantedState } from '@/stores/callSheet'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useChoice } from '@/stores/choice'
import { useMessages } from '@/stores/messages'
import CandidatePane from './CandidatePane.vue'
import WantedItem from './WantedItem.vue'
import WantedMark from './WantedMark.vue'

/** The motions that a production wants, and which clips there are for each. */
const TABLES = '.csv,.tsv,.txt,text/csv'
const sheet = useCallSheet()
const cast = useCast()
const choice = useChoice()
const messages = useMessages()
const route = useRoute()
const router = useRouter()

const at = ref(Number(route.query.row) || 0)
const lit = ref(WANTED_STATES.filter((state) => asked(route.query.state).split(',').includes(state)))
const order = ref(asked(route.query.order) === 'due' ? 'due' : 'written')
useAddress({
  row: () => String(at.value || ''),
  state: () => lit.value.join(),
  order: () => (order.value === 'due' ? 'due' : ''),
})
const pane = useTemplateRef<InstanceType<typeof CandidatePane>>('pane')
const list = useTemplateRef<HTMLElement>('list')
const added = useTemplateRef<HTMLInputElement>('added')
const text = ref('')

const tally = computed(() => {
  const counts = Object.fromEntries(WANTED_STATES.map((state) => [state, 0])) as Record<WantedState, number>
  for (const row of sheet.rows) counts[row.state] += 1
  return counts
})
const rows = computed(() => {
  const own = lit.value.length ? sheet.rows.filter((row) => lit.value.includes(row.state)) : sheet.rows
  // Without a day, at the end.
  return order.value === 'due' ? [...own].sort((a, b) => (a.due ?? '9').localeCompare(b.due ?? '9')) : own
})
const here = computed(() => rows.value.find((row) => row.id === at.value) ?? rows.value[0])
/** Who still waits for something. */
const waiting = computed(() => cast.present.filter((character) => sheet.toDo.get(character.id)))
function light(state: WantedState) {
  lit.value = lit.value.includes(state) ? lit.value.filter((other) => other !== state) : [...lit.value, state]
}

async function write() {
  const motion = text.value.trim()
  if (!motion) return
  text.value = ''
  try {
    // What is written below another row is wanted for the same characters, until something else is said.
    const above = sheet.rows.at(-1)
    const { steps } = await sheet.write({ motion, character_ids: above?.character_ids ?? [] })
    lit.value = []
    at.value = steps[0].id
    await nextTick()
    added.value?.scrollIntoView({ block: 'nearest' })
  } catch (problem) {
    text.value = motion
    messages.fail(problem)
  }
}
async function take(work: () => ReturnType<typeof sheet.paste>) {
  try {
    const { steps, problems } = await work()
    lit.value = []
    at.value = steps[0]?.id ?? at.value
    const count = steps.length === 1 ? 'One motion came' : `${steps.length} motions came`
    messages.say(`${count} onto the call sheet.`, { label: 'Undo', run: undo })
    if (problems.length)
      messages.warn(problems.slice(0, 6).join(' ') + (problems.length > 6 ? ` And ${problems.length - 6} more.` : ''))
  } catch (problem) {
    messages.fail(problem)
  }
}
/** Several lines or cells are rows; a few words go where the cursor is. */
function paste(event: ClipboardEvent) {
  const pasted = event.clipboardData?.getData('text/plain') ?? ''
  const into = event.target as HTMLElement
  const field = into instanceof HTMLInputElement && into !== added.value
  if (field || !/[\t\n]/.test(pasted.trim())) return
  event.preventDefault()
  void take(() => sheet.paste(pasted))
}
const bringIn = async (files: File[]) => {
  for (const file of files) await take(() => sheet.importFile(file))
}
const undo = () => sheet.undo().catch(messages.fail)
const redo = () => sheet.redo().catch(messages.fail)
async function remove() {
  const row = here.value
  if (!row) return
  const next = rows.value[rows.value.indexOf(row) + 1] ?? rows.value[rows.value.indexOf(row) - 1]
  await messages.attempt(async () => {
    await sheet.remove(row.id)
    at.value = next?.id ?? 0
    messages.say(`“${row.motion}” is off the call sheet.`, { label: 'Undo', run: undo })
  }, sheet.load)
}
function move(by: number) {
  const now = rows.value.findIndex((row) => row.id === here.value?.id)
  const row = rows.value[Math.max(0, Math.min(rows.value.length - 1, now + by))]
  if (!row) return
  at.value = row.id
  void nextTick(() => list.value?.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest' }))
}
/** From one row to write in to the next, and from the last to a new one. */
async function next(id: number) {
  const row = rows.value[rows.value.findIndex((other) => other.id === id) + 1]
  if (!row) return added.value?.focus()
  at.value = row.id
  await nextTick()
  list.value?.querySelector<HTMLInputElement>('[aria-current] .motion')?.focus()
}
/** What was chosen for all rows that are shown, swept on the board. */
const chosenCells = computed(() =>
  rows.value.flatMap((row) =>
    row.cells.filter((cell) => cell.chosen).flatMap((cell) => cellsOf(row, cell.character_id)),
  ),
)
async function toBoard() {
  if (!chosenCells.value.length) return false
  choice.swept = chosenCells.value
  await router.push('/board')
}
useShortcuts('Call sheet', {
  next: () => move(1),
  previous: () => move(-1),
  write: () => added.value?.focus(),
  take: (event) => pane.value?.takeNth(Number(event.key)),
  remove,
  board: toBoard,
  undo,
  redo,
})
const measure = () => sheet.measure().catch(messages.fail)
useChanges().on(['callsheet', 'library', 'cast', 'renditions', 'fittings'], () => sheet.load().catch(messages.fail))
watch(
  () => [cast.present.length, sheet.loaded && sheet.unmeasured > 0],
  () => sheet.loaded && sheet.unmeasured && measure(),
)
onMounted(async () => {
  // Who has come into the cast since takes the place of a name that was awaited.
  await measure()
  await sheet.load().catch(messages.fail)
})
</script>

<template>
  <div v-if="sheet.loaded && cast.loaded" class="view" @paste="paste">
    <section class="sheet" aria-label="Call sheet">
      <div class="bar">
        <h1>Call sheet</h1>
        <div v-if="sheet.rows.length" class="states" role="group" aria-label="States">
          <button
            v-for="state in WANTED_STATES"
            :key="state"
            class="plain lit"
            :aria-pressed="lit.includes(state)"
            :disabled="!tally[state] && !lit.includes(state)"
            @click="light(state)"
          >
            <WantedMark :state="state" /> {{ state }} <span class="mono quiet">{{ tally[state] }}</span>
          </button>
        </div>
        <select v-if="sheet.rows.length > 1" v-model="order" aria-label="Order">
          <option value="written">as written</option>
          <option value="due">by due date</option>
        </select>
        <UndoRedo group="Call sheet" :undoable="sheet.undoable" :redoable="sheet.redoable" @undo="undo" @redo="redo" />
        <span class="space"></span>
        <FileButton v-if="!sheet.rows.length" label="Import .csv" :accept="TABLES" @files="bringIn" />
        <v-btn v-if="sheet.rows.length" class="doing" :disabled="!chosenCells.length" @click="toBoard"
          >To the board</v-btn
        >
      </div>
      <ul ref="list" class="rows" aria-label="Wanted motions">
        <WantedItem
          v-for="row in rows"
          :key="row.id"
          :row="row"
          :chosen="row.id === here?.id"
          @choose="at = row.id"
          @next="next(row.id)"
        />
        <li class="new">
          <input
            ref="added"
            v-model="text"
            aria-label="Another wanted motion"
            :placeholder="
              sheet.rows.length ? 'What else is wanted?' : 'What is wanted? As in: carries a ladder, turns around'
            "
            @keydown.enter="write"
            @blur="write"
          />
          <p v-if="!sheet.rows.length" class="quiet hint">
            Write a motion in words, one to a row: what it is called, or what moves, as “travels forward, both feet
            leave the floor, loops”. Rows copied from a spreadsheet can be pasted here, with columns for motion,
            characters, mood, prop, variants, due and note.
          </p>
          <p v-else-if="lit.length && !rows.length" class="quiet hint">
            No row is as asked for. <button class="plain word" @click="lit = []">Show all</button>
          </p>
        </li>
      </ul>
      <div v-if="here" class="foot quiet">
        <span
          >{{ sheet.rows.length === 1 ? 'One motion' : `${sheet.rows.length} motions` }}. To do:
          <template v-for="(character, n) in waiting" :key="character.id"
            >{{ n ? ' · ' : '' }}{{ character.name }}&nbsp;<span class="mono">{{
              sheet.toDo.get(character.id)
            }}</span></template
          >{{ waiting.length ? '' : 'nothing' }}.</span
        >
        <span class="space"></span>
        <span class="ways">
          <FileButton label="Import .csv" :accept="TABLES" @files="bringIn" />
          <a class="way" href="/api/callsheet/file" download>Export .csv</a>
          <router-link class="way" to="/callsheet/print">For paper</router-link>
          <button class="plain word" v-bind="withKey('Call sheet', 'remove')" @click="remove">Take the row away</button>
        </span>
      </div>
    </section>
    <CandidatePane v-if="here" ref="pane" :row="here" />
  </div>
</template>

<style scoped>
.sheet {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px 12px;
  padding: 9px 16px;
  border-bottom: 1px solid var(--hairline);
}
.space {
  flex: 1;
}
.states {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 4px;
}
.lit {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  padding: 2px 6px;
  min-height: 26px;
  font-size: 13.5px;
  border-radius: 3px;
  border: 1px solid transparent;
}
.lit[aria-pressed='true'] {
  background: var(--panel);
  border-color: var(--ink);
}
.lit:disabled {
  opacity: 0.45;
  cursor: default;
}
.rows {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  list-style: none;
  margin: 0;
  padding: 0;
}
.new {
  padding: 8px 16px 24px 126px;
}
.new input {
  width: 100%;
  min-height: 34px;
  padding: 2px 8px;
  border: 1px dashed var(--quiet);
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
}
.new input::placeholder {
  color: var(--quiet);
  opacity: 1;
}
.hint {
  padding: 10px 0;
  max-width: 40rem;
  font-size: 14px;
}
.foot {
  display: flex;
  gap: 12px;
  padding: 4px 16px;
  font-size: 13.5px;
  border-top: 1px solid var(--hairline);
  align-items: center;
}
.ways {
  align-items: center;
  display: flex;
  gap: 14px;
  white-space: nowrap;
}
</style>
