<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import FileButton from '@/shared/frame/FileButton.vue'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { sideOf } from '@/features/fitting/weave'
import { useMessages } from '@/stores/messages'

/**
 * The patterns: how conventions name the parts of a body. Renamed, edited, exported, imported, and applied to
 * characters.
 */
type Pattern = Schemas['PatternOut']
const messages = useMessages()
const cast = useCast()
const rows = ref<Pattern[] | null>(null)
const at = ref<number | null>(null)
const here = computed(() => rows.value?.find((pattern) => pattern.id === at.value) ?? null)
const name = ref('')
const about = ref('')
const parts = ref<{ part: string; bones: string }[]>([])
const chosen = ref<number[]>([])
const applied = ref<Schemas['AppliedOut'][]>([])
const busy = ref(false)
/** The version that is being edited: what others make of it meanwhile does not change the fields. */
const base = ref(0)

async function load() {
  rows.value = await answer(client.GET('/api/patterns/')).catch((problem) => (messages.fail(problem), []))
}
onMounted(async () => {
  await load()
  open(rows.value?.[0] ?? null)
})
useChanges().on(['patterns'], async () => {
  const untouched = !edited.value
  await load()
  if (!here.value) open(rows.value?.[0] ?? null)
  else if (untouched) show(here.value)
})
function open(pattern: Pattern | null) {
  at.value = pattern?.id ?? null
  if (!pattern) return
  show(pattern)
  chosen.value = []
  applied.value = []
}
function show(pattern: Pattern) {
  base.value = pattern.lock_version
  name.value = pattern.name
  about.value = pattern.about
  parts.value = Object.entries(pattern.parts).map(([part, bones]) => ({ part, bones: bones.join(', ') }))
}
/**
 * Change something. Where somebody else was before, what they did is shown, and this very change can be made again on
 * top of it.
 */
async function change(work: (headers: ReturnType<typeof onVersion>) => Promise<unknown>) {
  busy.value = true
  await messages.attempt((again) => work(onVersion(again ? undefined : base.value)), load)
  busy.value = false
}
const edited = computed(() => {
  const pattern = here.value
  if (!pattern) return false
  return (
    name.value !== pattern.name ||
    about.value !== pattern.about ||
    parts.value.some(({ part, bones }) => bones !== (pattern.parts[part] ?? []).join(', '))
  )
})
async function save() {
  const pattern = here.value
  if (!pattern) return
  const table = Object.fromEntries(
    parts.value.map(({ part, bones }) => [
      part,
      bones
        .split(',')
        .map((bone) => bone.trim())
        .filter(Boolean),
    ]),
  )
  const body = { name: name.value, about: about.value, parts: table }
  await change(async (headers) => {
    const path = { params: { path: { pattern_id: pattern.id } } }
    const made = await answer(client.PATCH('/api/patterns/{pattern_id}', { ...path, headers, body }))
    await load()
    open(rows.value?.find((row) => row.id === made.id) ?? null)
  })
}
async function remove() {
  const pattern = here.value
  if (!pattern) return
  await change(async (headers) => {
    const now = rows.value?.find((row) => row.id === pattern.id) ?? pattern
    const path = { params: { path: { pattern_id: pattern.id } } }
    await answer(client.DELETE('/api/patterns/{pattern_id}', { ...path, headers }))
    await load()
    open(rows.value?.[0] ?? null)
    const kept = { plan: now.plan, about: now.about, parts: now.parts, left_out: now.left_out }
    const file = new File([JSON.stringify({ armuto_pattern: 1, name: now.name, ...kept })], `${now.name}.json`)
    messages.say(`The pattern “${now.name}” was removed.`, { label: 'Bring it back', run: () => bringIn([file]) })
  })
}
async function bringIn(files: File[]) {
  const body = new FormData()
  for (const file of files) body.append('files', file)
  await change(async () => {
    const made = await answer(
      client.POST('/api/patterns/import', { body: body as never, bodySerializer: (form) => form as never }),
    )
    await load()
    open(rows.value?.find((row) => row.id === made[0]?.id) ?? null)
    messages.say(made.length === 1 ? `The pattern “${made[0].name}” came in.` : `${made.length} patterns came in.`)
  })
}
async function apply() {
  const pattern = here.value
  if (!pattern) return
  await change(async () => {
    applied.value = await answer(
      client.POST('/api/patterns/{pattern_id}/apply', {
        params: { path: { pattern_id: pattern.id } },
        body: { characters: chosen.value },
      }),
    )
  })
  await cast.load().catch(messages.fail)
}
const outcome = (row: Schemas['AppliedOut']) =>
  !row.fits
    ? `${row.character} has too few of these bones, or they hang together otherwise; nothing was changed.`
    : `${row.character} has ${Math.round(row.score * 100)} of 100 of its bones; ${row.fittings === 0 ? 'no fitting changed' : row.fittings === 1 ? 'one fitting was paired anew' : `${row.fittings} fittings were paired anew`}.`
</script>

<template>
  <div class="view">
    <aside class="pane names" aria-label="Patterns">
      <div class="head">
        <h1>Patterns</h1>
        <FileButton label="Import" accept=".json" @files="bringIn" />
      </div>
      <ul v-if="rows" aria-label="Patterns">
        <li v-for="pattern in rows" :key="pattern.id">
          <button
            class="plain"
            :class="{ here: pattern.id === at }"
            :aria-current="pattern.id === at || undefined"
            @click="open(pattern)"
          >
            {{ pattern.name
            }}<span class="quiet"
              >{{ pattern.plan }}, <span class="mono">{{ pattern.bones }}</span> bones</span
            >
          </button>
        </li>
      </ul>
      <p v-if="rows && !rows.length" class="quiet none">
        There is no pattern. Keep the naming of a fitting as one, under “All pairs” in its weave; or import one.
      </p>
    </aside>
    <section v-if="here" class="sheet" :aria-label="`Pattern ${here.name}`">
      <div class="line">
        <input v-model="name" class="name" aria-label="Name of the pattern" />
        <v-btn class="doing" :disabled="!edited || busy" @click="save">Save</v-btn>
        <v-btn :href="`/api/patterns/${here.id}/file`" download>Export .json</v-btn>
        <v-btn :disabled="busy" @click="remove">Remove</v-btn>
      </div>
      <input v-model="about" class="about" aria-label="What it is for" placeholder="What it is for" />
      <p class="quiet">
        It recognises a skeleton that has at least 70 of 100 of these bones, hung together as the body plan “{{
          here.plan
        }}” says. Names are compared without a prefix that all bones share.
      </p>
      <div class="columns">
        <table>
          <thead>
            <tr>
              <th>part</th>
              <th>bones, from the trunk outwards</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in parts" :key="row.part">
              <td :class="sideOf(row.part)">{{ row.part }}</td>
              <td><input v-model="row.bones" class="mono" :aria-label="`Bones of the ${row.part}`" /></td>
            </tr>
          </tbody>
        </table>
        <section class="apply" aria-label="Apply to characters">
          <h2>Apply to characters</h2>
          <label v-for="character in cast.present" :key="character.id"
            ><input v-model="chosen" type="checkbox" :value="character.id" /> {{ character.name }}</label
          >
          <v-btn :disabled="!chosen.length || busy" @click="apply"
            >Apply to {{ chosen.length === 1 ? 'one character' : `${chosen.length} characters` }}</v-btn
          >
          <p v-for="row in applied" :key="row.character_id" role="status">{{ outcome(row) }}</p>
          <p class="quiet">Pairs that were confirmed stay as they are.</p>
        </section>
      </div>
    </section>
  </div>
</template>

<style scoped>
.names {
  width: 264px;
  padding: 14px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-bottom: 8px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li button {
  display: grid;
  width: 100%;
  padding: 5px 9px;
  border-radius: 3px;
}
li button.here {
  background: rgb(var(--v-theme-surface-variant));
}
li .quiet {
  font-size: 13px;
}
.none {
  font-size: 14px;
}
.sheet {
  flex: 1;
  padding: 16px 24px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
input {
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 2px 6px;
}
input:hover,
input:focus {
  border-color: var(--hairline);
  background: var(--panel);
}
.name {
  font-size: 1.3rem;
  font-weight: 500;
  flex: 1;
  margin-left: -7px;
}
.about {
  margin-left: -7px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 260px;
  gap: 24px;
  align-items: start;
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
  padding: 2px 10px;
  border-bottom: 1px solid var(--hairline);
}
td input {
  width: 100%;
  font-size: 13px;
}
.left {
  color: var(--left);
}
.right {
  color: var(--right);
}
.apply {
  display: grid;
  gap: 6px;
  font-size: 14.5px;
}
.apply label {
  display: flex;
  gap: 8px;
  min-height: 24px;
  align-items: center;
}
</style>
