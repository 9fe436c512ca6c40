<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { useDraft } from '@/shared/useDraft'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { quantity } from '@/shared/units'
import {
  gapText,
  type CastingChange,
  type CastingRow,
  type EnsembleChange,
  type EnsembleRow,
  type Measures,
} from './ensembles'
import MeetingTable from './MeetingTable.vue'
import PlacementFields from './PlacementFields.vue'
import PropFields from './PropFields.vue'

/** An ensemble's name, who plays whom, where they meet and how well, and where somebody is placed otherwise. */
const props = defineProps<{
  row: EnsembleRow
  cast: CastingRow | null
  measures: Measures | null
  frame: number
  busy: boolean
  undoable: boolean
  redoable: boolean
}>()
const emit = defineEmits<{
  change: [change: EnsembleChange]
  recast: [change: CastingChange]
  play: [characters: Record<string, number>]
  remove: []
  frame: [frame: number]
  bring: [file: File]
  undo: []
  redo: []
}>()
const casting = defineModel<number>('casting', { required: true })
const placed = defineModel<string>('placed', { required: true })
const removing = ref(false)
watch(casting, () => (removing.value = false))
const chosen = defineModel<number>('chosen', { required: true })
const characters = useCast()

const name = useDraft(
  () => props.row.name,
  () => props.row.lock_version,
)
const typed = name.text
function rename() {
  const wanted = typed.value.trim()
  name.end()
  if (wanted && wanted !== props.row.name) emit('change', { name: wanted })
  else name.show()
}
/** Somebody of the same kind of body, another for each performer as far as there are. */
function likely(skeleton: number, number: number): number | undefined {
  const plan = useLibrary().skeletons.find((body) => body.id === skeleton)?.plan
  const alike = characters.present.filter((character) => character.plan === plan)
  const rows = alike.length ? alike : characters.present
  return rows[number % Math.max(1, rows.length)]?.id
}
/** Who is chosen for each performer: of the casting that is looked at, or for a new one. */
const players = ref<Record<string, number>>({})
watch(
  () =>
    [casting.value, JSON.stringify(props.cast?.cast), props.row.performers.join(), characters.present.length].join(),
  () => {
    players.value = Object.fromEntries(
      props.row.people.map(({ name: who, skeleton_id }, n) => [
        who,
        props.cast?.cast[who] ?? players.value[who] ?? likely(skeleton_id, n) ?? 0,
      ]),
    )
  },
  { immediate: true },
)
function choose(who: string, character: number) {
  players.value = { ...players.value, [who]: character }
  if (props.cast) emit('recast', { cast: { [who]: character } })
}
/** The parts of each performer that can meet something, by the bones of its skeleton, hands first. */
const parts = shallowRef<Record<string, string[]>>({})
const SMALL = /thumb|index|middle|ring|little|toes|eye|ear|jaw|root/
const isHand = (part: string) => Number(part.endsWith('hand'))
watch(
  () => props.row.people.map((each) => `${each.name}.${each.skeleton_id}`).join(),
  async () => {
    const rows = await Promise.all(
      props.row.people.map(async (each) => {
        const bones = await characters.skeleton(each.skeleton_id)
        const all = new Set(bones.parts.filter((part): part is string => !!part && !SMALL.test(part)))
        return [each.name, [...all].sort((a, b) => isHand(b) - isHand(a))] as const
      }),
    ).catch(useMessages().fail)
    if (rows) parts.value = Object.fromEntries(rows)
  },
  { immediate: true },
)
const worst = computed(() => {
  const rows = props.measures?.meetings ?? []
  const missed = rows.filter((each) => !each.kept).length
  if (!rows.length) return ''
  return missed ? `${missed} of ${rows.length} meetings missed` : `all ${rows.length} meetings kept`
})
const moved = computed(() => props.measures?.performers.filter((each) => each.offset > 0.1 || each.lean > 0.5) ?? [])
const clipping = computed(() => props.measures?.pairs.filter((pair) => pair.parts.length) ?? [])
</script>

<template>
  <aside class="pane ensemble">
    <div class="top">
      <input
        v-model="typed"
        class="name"
        aria-label="Name of the ensemble"
        @focus="name.begin"
        @change="rename"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <UndoRedo group="Ensemble" :undoable="undoable" :redoable="redoable" @undo="emit('undo')" @redo="emit('redo')" />
    </div>
    <section>
      <div class="head">
        <h2>Who plays</h2>
        <select
          :value="casting"
          aria-label="Casting"
          @change="casting = Number(($event.target as HTMLSelectElement).value)"
        >
          <option :value="0">as recorded</option>
          <option v-for="each in row.castings" :key="each.id" :value="each.id">{{ each.name }}</option>
        </select>
      </div>
      <ul>
        <li v-for="who in row.performers" :key="who">
          <span class="who">{{ who }}</span>
          <select
            :value="players[who]"
            :aria-label="`Who plays ${who}`"
            :disabled="busy || (casting > 0 && !cast)"
            @change="choose(who, Number(($event.target as HTMLSelectElement).value))"
          >
            <option v-for="character in characters.present" :key="character.id" :value="character.id">
              {{ character.name }}
            </option>
          </select>
        </li>
      </ul>
      <p v-if="!characters.present.length" class="quiet">
        Nobody is in the cast yet; <router-link to="/cast">bring in a character</router-link> to play in it.
      </p>
      <div v-else class="acts">
        <v-btn v-if="!cast" size="small" class="doing" :disabled="busy" @click="emit('play', players)">Cast it</v-btn>
        <template v-else>
          <button class="plain word" :disabled="busy" @click="emit('play', players)">Keep as another casting</button>
          <a class="word" :href="`/api/ensembles/castings/${cast.id}/file`" download>Fetch all in one .glb</a>
          <button v-if="!removing" class="plain word" @click="removing = true">Remove it</button>
        </template>
      </div>
      <p v-if="cast && removing" class="removing" role="alert">
        Its results go with it.
        <button class="plain word" @click="emit('remove')">Remove “{{ cast.name }}”</button>
        <button class="plain word" @click="removing = false">Keep it</button>
      </p>
      <p v-if="cast?.problem" class="problem" role="alert">{{ cast.problem }}</p>
      <div v-else-if="measures" class="facts" role="status">
        <p :class="{ missed: worst.includes('missed') }">{{ worst }}</p>
        <p v-for="each in moved" :key="each.name" class="quiet">
          {{ each.name }}: path moved by {{ gapText(each.offset) }}, hips lowered by {{ gapText(each.lowered) }}, leans
          {{ quantity(each.lean, '°', 0) }}
        </p>
        <p v-for="pair in clipping" :key="pair.first + pair.second" class="quiet">
          <button class="plain word" @click="emit('frame', pair.frame - row.first)">
            {{ pair.first }} and {{ pair.second }}: {{ pair.parts[0] }} and {{ pair.parts[1] }}
            {{ gapText(pair.clipping) }} in each other
          </button>
        </p>
      </div>
    </section>
    <MeetingTable
      v-model:chosen="chosen"
      :row="row"
      :measures="measures"
      :frame="frame"
      :parts="parts"
      @change="emit('change', $event)"
      @frame="emit('frame', $event)"
    />
    <PropFields
      :row="row"
      :frame="frame"
      :parts="parts"
      :busy="busy"
      @bring="emit('bring', $event)"
      @change="emit('change', $event)"
      @frame="emit('frame', $event)"
    />
    <PlacementFields
      v-if="cast"
      v-model:who="placed"
      :row="row"
      :cast="cast"
      :frame="frame"
      @recast="emit('recast', $event)"
      @frame="emit('frame', $event)"
    />
  </aside>
</template>

<style scoped>
.ensemble {
  width: 424px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding: 10px 16px 4px;
}
.name {
  flex: 1;
  min-width: 0;
  font: inherit;
  font-size: 1.1rem;
  font-weight: 500;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: inherit;
  padding: 2px 6px;
  margin-left: -7px;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
}
section {
  padding: 8px 16px 12px;
  border-bottom: 1px solid var(--hairline);
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
ul {
  list-style: none;
  padding: 6px 0;
  margin: 0;
  display: grid;
  gap: 4px;
}
li {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.who {
  min-width: 96px;
  font-size: 14px;
}
select {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font-size: 13.5px;
  padding: 2px 4px;
  min-height: 26px;
  min-width: 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
}
.word {
  font-size: 13.5px;
  text-align: left;
}
.removing {
  font-size: 13.5px;
  padding-top: 6px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
}
.facts {
  font-size: 13.5px;
  padding-top: 6px;
}
.missed,
.problem {
  color: var(--wrong);
}
@media (max-width: 1150px) {
  .ensemble {
    width: 368px;
  }
}
</style>
