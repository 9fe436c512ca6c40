<script setup lang="ts">
import { computed } from 'vue'

import { useCast } from '@/stores/cast'
import type { CharacterState, KeptTake, Role, StageState } from './liveMessages'

/** What comes from a stage, who performs it and how late that is seen, and the takes that were kept. */
const props = defineProps<{
  state: StageState | null
  problem: string
  roles: Role[]
  delays: Map<number, number>
  kept: KeptTake[]
}>()
const emit = defineEmits<{ give: [character: number, performer: number]; release: [character: number] }>()
const cast = useCast()

const WORDS: Record<StageState['state'], string> = {
  connecting: 'connecting …',
  recognising: 'recognising …',
  live: 'live',
  silent: 'silent',
  away: 'not there',
}
const sentence = computed(() => props.problem || props.state?.sentence || '')
const performers = computed(() =>
  (props.state?.performers ?? []).map((performer, number) => ({
    ...performer,
    number,
    characters: (props.state?.characters ?? []).filter((row) => row.performer === number),
  })),
)
/** Who is to perform what a performer does that the stage does not have. */
const waiting = computed(() =>
  props.state?.performers.length
    ? props.state.characters.filter((row) => row.performer >= props.state!.performers.length)
    : [],
)
const skipped = computed(() => (props.state?.characters ?? []).reduce((sum, row) => sum + row.skipped, 0))
const longest = computed(() => Math.max(0, ...props.delays.values()))
const milliseconds = (seconds: number) => `${Math.round(seconds * 1000)} ms`
const name = (row: CharacterState) => cast.character(row.character)?.name ?? 'a character that is gone'
const delayOf = (row: CharacterState) => {
  const delay = props.delays.get(row.character)
  return delay === undefined || row.failed ? '' : milliseconds(delay)
}
const free = computed(() => cast.present.filter(({ id }) => !props.roles.some((role) => role.character === id)))
function choose(event: Event, performer: number) {
  const select = event.target as HTMLSelectElement
  if (select.value) emit('give', Number(select.value), performer)
  select.value = ''
}
</script>

<template>
  <p class="state" role="status">
    <span :class="{ lit: state?.state === 'live' }">{{ state ? WORDS[state.state] : 'connecting …' }}</span>
    <template v-if="state?.fps">
      · {{ state.name }} · <span class="mono">{{ Math.round(state.fps) }}</span> frames a second</template
    >
  </p>
  <p v-if="sentence" class="wrong" role="alert">{{ sentence }}</p>
  <dl v-if="state?.fps">
    <dt title="How long ago what is shown was captured">delay</dt>
    <dd class="mono" :class="{ wrong: longest > 0.1 }">{{ delays.size ? milliseconds(longest) : '–' }}</dd>
    <dt title="Frames that came while an earlier one was being performed">skipped</dt>
    <dd class="mono">{{ skipped }}</dd>
  </dl>
  <section v-for="performer in performers" :key="performer.number" :aria-label="performer.name">
    <h2>
      {{ performer.name }}
      <span class="quiet">{{
        performer.skeleton ? performer.skeleton : performer.recognised ? 'a skeleton that is new here' : 'recognising …'
      }}</span>
    </h2>
    <p class="quiet counts">
      <span class="mono">{{ performer.came }}</span> frames, <span class="mono">{{ performer.lost }}</span> lost,
      <span class="mono">{{ performer.late }}</span> late
    </p>
    <ul>
      <li v-for="row in performer.characters" :key="row.character">
        <span>{{ name(row) }}</span>
        <span class="mono quiet">{{ delayOf(row) }}</span>
        <router-link v-if="row.fitting" class="word" :to="`/fittings/${row.fitting}`">fitting</router-link>
        <button class="plain word" :aria-label="`let go of ${name(row)}`" @click="emit('release', row.character)">
          let go
        </button>
        <p v-if="row.note" :class="row.failed ? 'wrong' : 'quiet'">{{ row.note }}</p>
      </li>
    </ul>
    <select
      v-if="free.length"
      :aria-label="`Who performs what ${performer.name} does`"
      @change="choose($event, performer.number)"
    >
      <option value="">a character performs this …</option>
      <option v-for="character in free" :key="character.id" :value="character.id">{{ character.name }}</option>
    </select>
  </section>
  <section v-if="waiting.length" aria-label="Without a performer">
    <h2>Without a performer</h2>
    <ul>
      <li v-for="row in waiting" :key="row.character">
        <span>{{ name(row) }}</span>
        <button class="plain word" :aria-label="`let go of ${name(row)}`" @click="emit('release', row.character)">
          let go
        </button>
      </li>
    </ul>
  </section>
  <section v-if="kept.length" aria-label="Takes that were kept">
    <h2>Kept <router-link class="way quiet" to="/library/intake">Intake</router-link></h2>
    <ul>
      <li v-for="(take, n) in kept" :key="n">
        <span>{{ take.name }}</span>
        <span class="quiet"
          ><span class="mono">{{ take.frames }}</span> frames<template v-if="take.bridged"
            >, <span class="mono">{{ take.bridged }}</span> bridged</template
          ></span
        >
        <p v-if="!take.came_in" class="quiet">It was there already.</p>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.state .lit {
  color: var(--accent);
  font-weight: 600;
}
.wrong {
  color: var(--wrong);
}
dl {
  margin: 0;
  display: grid;
  grid-template-columns: auto 1fr auto 1fr;
  gap: 2px 10px;
}
dd {
  white-space: nowrap;
}
dt,
.counts {
  color: var(--quiet);
  font-size: 14px;
}
h2 {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 10px;
  font-size: 1rem;
}
h2 .quiet {
  font-weight: normal;
  font-size: 13.5px;
}
section {
  display: grid;
  gap: 4px;
  padding-top: 10px;
  border-top: 1px solid var(--hairline);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 10px;
  min-height: 28px;
}
li > :first-child {
  flex: 1;
}
li p {
  flex-basis: 100%;
  font-size: 13.5px;
}
select {
  min-height: 30px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
}
</style>
