<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import {
  gapText,
  meetingFrames,
  meetingText,
  type EnsembleChange,
  type EnsembleRow,
  type Measures,
  type Meeting,
} from './ensembles'

/** The meetings with their measures before and now; the chosen one with what is said of it. */
const props = defineProps<{
  row: EnsembleRow
  measures: Measures | null
  frame: number
  parts: Record<string, string[]>
}>()
const emit = defineEmits<{ change: [change: EnsembleChange]; frame: [frame: number] }>()
const chosen = defineModel<number>('chosen', { required: true })

const meeting = computed<Meeting | undefined>(() => props.row.meetings[chosen.value])
const measured = (number: number) => props.measures?.meetings.find((each) => each.number === number)
const frameField = (label: string): NumberField => ({
  path: label,
  label,
  type: 'frame',
  unit: 'f',
  least: props.row.first - props.row.first,
  most: props.row.last - props.row.first,
  step: 1,
})
const STRENGTH: NumberField = {
  path: 'strength',
  label: 'strength',
  type: 'number',
  unit: '%',
  least: 0,
  most: 100,
  step: 5,
  scale: 100,
}
function put(number: number, change: Partial<Meeting>) {
  const meetings = props.row.meetings.map((each, n) => (n === number ? { ...each, ...change, by_hand: true } : each))
  emit('change', { meetings })
}
function setFrame(which: 'first' | 'last', frame: number | null) {
  if (frame === null || !meeting.value) return
  const at = frame + props.row.first
  const { first, last } = meeting.value
  put(chosen.value, which === 'first' ? { first: Math.min(at, last) } : { last: Math.max(at, first) })
}
function remove(number: number) {
  emit('change', { meetings: props.row.meetings.filter((_, n) => n !== number) })
  chosen.value = Math.min(number, props.row.meetings.length - 2)
}
/** The handles of a prop by name. */
const handlesOf = (who: string) => Object.keys(props.row.things.find(({ name }) => name === who)?.handles ?? {})
/** A new one, from the frame that is looked at on. */
const first = ref('')
const second = ref('')
const sides = computed(() =>
  props.row.performers.flatMap((who) => (props.parts[who] ?? []).map((part) => ({ key: `${who}|${part}`, who, part }))),
)
const others = computed(() => [
  ...props.row.things.flatMap((prop) =>
    ['', ...handlesOf(prop.name)].map((part) => ({ key: `${prop.name}|${part}`, who: prop.name, part })),
  ),
  ...sides.value,
])
watch(
  sides,
  (now) => {
    if (!now.some((side) => side.key === first.value))
      first.value = now.find((side) => side.part.endsWith('hand'))?.key ?? ''
    if (!others.value.some((side) => side.key === second.value)) second.value = others.value[0]?.key ?? ''
  },
  { immediate: true },
)
function add() {
  const [a, b] = [
    sides.value.find((side) => side.key === first.value),
    others.value.find((side) => side.key === second.value),
  ]
  if (!a || !b) return
  const begin = props.row.first + props.frame
  const fresh: Meeting = {
    first: begin,
    last: Math.min(props.row.last, begin + Math.round(props.row.fps)),
    a: { who: a.who, part: a.part },
    b: { who: b.who, part: b.part },
    strength: 1,
    by_hand: true,
  }
  emit('change', { meetings: [...props.row.meetings, fresh] })
  chosen.value = props.row.meetings.length
}
</script>

<template>
  <section>
    <div class="head">
      <h2>Meetings</h2>
      <button v-if="!row.found" class="plain word" @click="emit('change', { find_meetings: true })">
        Find them again
      </button>
    </div>
    <p v-if="!row.meetings.length" class="quiet">Nobody meets anybody or anything here.</p>
    <table v-else>
      <thead>
        <tr>
          <th>who meets</th>
          <th class="n">frames</th>
          <th v-if="measures" class="n">gap before</th>
          <th v-if="measures" class="n">now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(each, n) in row.meetings" :key="n" :class="{ chosen: n === chosen }">
          <td>
            <button
              class="plain link"
              :aria-pressed="n === chosen"
              @click="((chosen = n), emit('frame', Math.round((each.first + each.last) / 2) - row.first))"
            >
              {{ meetingText(each, row) }}
            </button>
          </td>
          <td class="mono n">{{ meetingFrames(each, row.first) }}</td>
          <td v-if="measures" class="mono n">{{ measured(n) ? gapText(measured(n)!.before) : '–' }}</td>
          <td v-if="measures" class="mono n" :class="{ missed: measured(n) && !measured(n)!.kept }">
            <button
              v-if="measured(n)"
              class="plain link mono"
              :title="`worst in frame ${measured(n)!.worst - row.first}`"
              @click="emit('frame', measured(n)!.worst - row.first)"
            >
              {{ measured(n)!.kept ? '' : '✕ ' }}{{ gapText(measured(n)!.gap) }}
            </button>
            <template v-else>–</template>
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="meeting" class="fields" role="group" :aria-label="`The meeting of ${meetingText(meeting, row)}`">
      <NumberBox
        :field="frameField('from')"
        :value="meeting.first - row.first"
        of="The meeting"
        @keep="setFrame('first', $event)"
      />
      <NumberBox
        :field="frameField('to')"
        :value="meeting.last - row.first"
        of="The meeting"
        @keep="setFrame('last', $event)"
      />
      <NumberBox
        :field="STRENGTH"
        :value="meeting.strength ?? 1"
        of="The meeting"
        @keep="$event !== null && put(chosen, { strength: $event })"
      />
      <label v-if="handlesOf(meeting.b.who).length">
        at
        <select
          :value="meeting.b.part"
          aria-label="at which of its handles"
          @change="put(chosen, { b: { ...meeting.b, part: ($event.target as HTMLSelectElement).value } })"
        >
          <option value="">its nearest place</option>
          <option v-for="name in handlesOf(meeting.b.who)" :key="name" :value="name">{{ name }}</option>
        </select>
      </label>
      <button class="plain word" @click="remove(chosen)">Remove</button>
    </div>
    <details>
      <summary>Add a meeting</summary>
      <div class="fields">
        <select v-model="first" aria-label="Who meets">
          <option v-for="side in sides" :key="side.key" :value="side.key">{{ side.who }}: {{ side.part }}</option>
        </select>
        <select v-model="second" aria-label="Who or what is met">
          <option v-for="side in others" :key="side.key" :value="side.key">
            {{ side.part ? `${side.who}: ${side.part}` : side.who }}
          </option>
        </select>
        <button class="plain word" @click="add">Add from this frame on</button>
      </div>
    </details>
  </section>
</template>

<style scoped>
section {
  padding: 10px 16px;
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.word {
  font-size: 13.5px;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13.5px;
}
th {
  font-weight: 500;
  text-align: left;
  color: var(--quiet);
  font-size: 12.5px;
}
th,
td {
  padding: 3px 6px 3px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: baseline;
}
.n {
  text-align: right;
  white-space: nowrap;
}
.link {
  text-align: left;
  text-decoration: underline;
  text-decoration-color: var(--hairline);
}
.chosen .link {
  text-decoration-color: var(--accent);
}
.missed {
  color: var(--wrong);
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: baseline;
  padding: 8px 0;
}
select {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font-size: 13.5px;
  padding: 2px 4px;
  max-width: 100%;
  min-height: 26px;
}
summary {
  font-size: 13.5px;
  cursor: pointer;
  padding: 4px 0;
}
</style>
