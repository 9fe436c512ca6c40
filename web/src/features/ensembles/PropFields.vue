<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import PropHandles from './PropHandles.vue'
import DraftInput from '@/shared/fields/DraftInput.vue'
import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { frameNumber } from '@/shared/units'
import {
  carriedBy,
  freeName,
  lengthField,
  type EnsembleChange,
  type EnsembleRow,
  type Prop,
  type Shape,
} from './ensembles'

/** The props: what they are made of, where they stand, who carries them when, and what their size follows. */
const props = defineProps<{ row: EnsembleRow; frame: number; parts: Record<string, string[]>; busy: boolean }>()
const emit = defineEmits<{ change: [change: EnsembleChange]; frame: [frame: number]; bring: [file: File] }>()
const chosen = ref('')
const things = computed(() => props.row.things as Prop[])
const prop = computed(() => things.value.find((each) => each.name === chosen.value))
watch(
  () => props.row.things.map((each) => each.name).join('|'),
  () => {
    if (!prop.value) chosen.value = ''
  },
)

const AXES = ['X', 'Y', 'Z'] as const
const KINDS: Record<string, string> = { box: 'box', cylinder: 'cylinder', plane: 'plane' }
const chooser = ref<HTMLInputElement>()
/** A prop that is the mesh of a file. */
function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) emit('bring', file)
}
const SCALING: Record<Prop['scaling'], string> = {
  body: 'the bodies',
  hands: 'the hands',
  steps: 'the steps',
  kept: 'nothing',
}
const turned = (label: string): NumberField => ({
  path: label,
  label,
  type: 'number',
  unit: '°',
  least: -360,
  most: 360,
  step: 5,
})
/** Sizes of a shape by its kind: which of the three numbers each is. */
const sizesOf = (kind: string): { label: string; axes: number[] }[] =>
  kind === 'cylinder'
    ? [
        { label: 'across', axes: [0, 2] },
        { label: 'high', axes: [1] },
      ]
    : kind === 'plane'
      ? [
          { label: 'wide', axes: [0] },
          { label: 'deep', axes: [2] },
        ]
      : [
          { label: 'wide', axes: [0] },
          { label: 'high', axes: [1] },
          { label: 'deep', axes: [2] },
        ]
type Triple = [number, number, number]
const withAxes = (values: number[], axes: number[], value: number): Triple =>
  values.map((each, n) => (axes.includes(n) ? value : each)) as Triple

function put(change: Partial<Prop>) {
  emit('change', {
    props: things.value.map((each) => (each.name === chosen.value ? { ...each, ...change } : each)),
  })
}
function putShape(number: number, change: Partial<Shape>) {
  put({ shapes: prop.value!.shapes.map((shape, n) => (n === number ? { ...shape, ...change } : shape)) })
}
const BOX: Shape = { kind: 'box', size: [0.3, 0.3, 0.3], at: [0, 0, 0], turn: [0, 0, 0], points: [], faces: [] }
function add() {
  const name = freeName('prop', [...props.row.performers, ...props.row.things.map((each) => each.name)])
  const fresh: Prop = {
    name,
    shapes: [BOX],
    at: [0, 0.15, 0],
    turn: [0, 0, 0],
    carried: [],
    recorded: '',
    start: 0,
    anchored: false,
    scaling: 'body',
    handles: {},
  }
  emit('change', { props: [...things.value, fresh] })
  chosen.value = name
}
function rename(name: string) {
  const wanted = name.trim()
  if (!wanted || wanted === chosen.value) return
  const before = chosen.value
  chosen.value = wanted
  // Meetings that were set by hand are of the prop under its new name.
  const named = ({ who, part }: { who: string; part: string }) => ({ who: who === before ? wanted : who, part })
  const meetings = props.row.found
    ? undefined
    : props.row.meetings.map((meeting) => ({ ...meeting, a: named(meeting.a), b: named(meeting.b) }))
  const next = things.value.map((each) => (each.name === before ? { ...each, name: wanted } : each))
  emit('change', meetings ? { props: next, meetings } : { props: next })
}
function remove() {
  const gone = chosen.value
  const meetings = props.row.found
    ? undefined
    : props.row.meetings.filter((meeting) => meeting.a.who !== gone && meeting.b.who !== gone)
  const next = things.value.filter((each) => each.name !== gone)
  chosen.value = ''
  emit('change', meetings ? { props: next, meetings } : { props: next })
}
/** Meetings at a handle go on at it under its new name, or wherever they are nearest once it is gone. */
function putHandles(handles: Prop['handles'], before?: string, after = '') {
  const next = things.value.map((each) => (each.name === chosen.value ? { ...each, handles } : each))
  const meetings = props.row.meetings.map((meeting) =>
    before !== undefined && meeting.b.who === chosen.value && meeting.b.part === before
      ? { ...meeting, b: { ...meeting.b, part: after } }
      : meeting,
  )
  emit('change', props.row.found ? { props: next } : { props: next, meetings })
}
/** Who can take it, hands first. */
const holders = computed(() =>
  props.row.performers.flatMap((who) => (props.parts[who] ?? []).map((part) => ({ key: `${who}|${part}`, who, part }))),
)
const holder = ref('')
watch(holders, (now) => now.some(({ key }) => key === holder.value) || (holder.value = now[0]?.key ?? ''), {
  immediate: true,
})
/** Taken by a part in this frame: until the next takes it, or to the end; beside those who carry it by then. */
function take() {
  const by = holders.value.find(({ key }) => key === holder.value)
  if (!by || !prop.value) return
  const at = props.row.first + props.frame
  put({ carried: carriedBy(prop.value.carried, at, props.row.last, { who: by.who, part: by.part }) })
}
const shownFrame = (frame: number) => frameNumber(Math.max(frame - props.row.first, 0))
</script>

<template>
  <section>
    <div class="head">
      <h2>Props</h2>
      <button class="plain word" :disabled="busy" @click="add">Add a prop</button>
      <button class="plain word" :disabled="busy" @click="chooser?.click()">Add one from a file</button>
      <input
        ref="chooser"
        type="file"
        hidden
        accept=".glb,.gltf,.dae,.usd,.usda,.usdc,.usdz,.obj,.ply,.stl"
        aria-label="A mesh without bones"
        @change="bring"
      />
    </div>
    <p v-if="!row.things.length" class="quiet">No thing is on the stage but those who perform.</p>
    <ul v-else class="names">
      <li v-for="each in row.things" :key="each.name">
        <button
          class="plain word"
          :aria-expanded="each.name === chosen"
          @click="chosen = each.name === chosen ? '' : each.name"
        >
          {{ each.name }}
        </button>
      </li>
    </ul>
    <div v-if="prop" class="prop" role="group" :aria-label="`The prop ${prop.name}`">
      <div class="fields">
        <label>
          name
          <DraftInput
            class="text"
            :value="prop.name"
            maxlength="120"
            @change="(event: Event) => rename((event.target as HTMLInputElement).value)"
          />
        </label>
        <label>
          its size follows
          <select
            :value="prop.scaling"
            @change="put({ scaling: ($event.target as HTMLSelectElement).value as Prop['scaling'] })"
          >
            <option v-for="(word, key) in SCALING" :key="key" :value="key">{{ word }}</option>
          </select>
        </label>
      </div>
      <div v-for="(shape, n) in prop.shapes" :key="n" class="fields shape">
        <span v-if="shape.kind === 'mesh'">mesh of {{ shape.faces.length }} triangles</span>
        <select
          v-else
          :value="shape.kind"
          :aria-label="`Kind of shape ${n + 1}`"
          @change="putShape(n, { kind: ($event.target as HTMLSelectElement).value as Shape['kind'] })"
        >
          <option v-for="(word, kind) in KINDS" :key="kind" :value="kind">{{ word }}</option>
        </select>
        <NumberBox
          v-for="size in sizesOf(shape.kind)"
          :key="size.label"
          :field="lengthField(size.label, 0.1)"
          :value="shape.size[size.axes[0]]"
          :of="`Shape ${n + 1}`"
          @keep="putShape(n, { size: withAxes(shape.size, size.axes, $event ?? 0.1) })"
        />
        <NumberBox
          v-for="(axis, k) in AXES"
          :key="axis"
          :field="lengthField(axis)"
          :value="shape.at[k]"
          :of="`Shape ${n + 1}`"
          @keep="putShape(n, { at: withAxes(shape.at, [k], $event ?? 0) })"
        />
        <button
          v-if="prop.shapes.length > 1"
          class="plain word"
          :aria-label="`Remove shape ${n + 1}`"
          @click="put({ shapes: prop.shapes.filter((_, k) => k !== n) })"
        >
          Remove
        </button>
      </div>
      <button class="plain word" @click="put({ shapes: [...prop.shapes, BOX] })">Add a shape</button>
      <PropHandles :prop="prop" :busy="busy" @change="putHandles" />
      <p v-if="prop.recorded" class="quiet">It goes where it was recorded.</p>
      <template v-else>
        <div class="fields" role="group" aria-label="Where it stands while nobody carries it">
          stands at
          <NumberBox
            v-for="(axis, k) in AXES"
            :key="axis"
            :field="lengthField(axis)"
            :value="prop.at[k]"
            of="It stands at"
            @keep="put({ at: withAxes(prop.at, [k], $event ?? 0) })"
          />
          <NumberBox
            :field="turned('turned')"
            :value="prop.turn[1]"
            of="It stands"
            @keep="put({ turn: withAxes(prop.turn, [1], $event ?? 0) })"
          />
        </div>
        <ul v-if="prop.carried.length" aria-label="Who carries it">
          <li v-for="(stretch, n) in prop.carried" :key="n">
            <button class="plain word mono" @click="emit('frame', Math.max(stretch.first - row.first, 0))">
              {{ shownFrame(stretch.first) }}–{{ shownFrame(stretch.last) }}
            </button>
            <span>{{ stretch.by.map(({ who, part }) => `${part} of ${who}`).join(', ') }}</span>
            <button
              class="plain word"
              :aria-label="`Nobody carries it from frame ${shownFrame(stretch.first)}`"
              @click="put({ carried: prop.carried.filter((_, k) => k !== n) })"
            >
              Remove
            </button>
          </li>
        </ul>
        <div class="fields">
          <select v-model="holder" aria-label="Who takes it">
            <option v-for="each in holders" :key="each.key" :value="each.key">{{ each.part }} of {{ each.who }}</option>
          </select>
          <button class="plain word" :disabled="!holder" @click="take">Takes it in this frame</button>
        </div>
      </template>
      <label class="tick">
        <input
          type="checkbox"
          :checked="prop.anchored"
          @change="put({ anchored: ($event.target as HTMLInputElement).checked })"
        />
        goes its way whatever hands do, as on an axle
      </label>
      <button class="plain word" @click="remove">Remove {{ prop.name }}</button>
    </div>
  </section>
</template>

<style scoped>
section {
  padding: 10px 16px 12px;
  border-top: 1px solid var(--hairline);
}
.head,
.prop :deep(.fields),
ul,
li {
  display: flex;
  flex-wrap: wrap;
  gap: 5px 12px;
  align-items: baseline;
}
ul {
  list-style: none;
  padding: 0;
  margin: 5px 0;
  font-size: 14px;
}
.prop {
  display: grid;
  gap: 6px;
  justify-items: start;
  border-left: 3px solid var(--hairline);
  padding-left: 10px;
  margin-top: 6px;
  font-size: 14px;
}
.shape {
  padding: 4px 0;
  border-top: 1px solid var(--hairline);
}
.word,
.prop :deep(.word) {
  font-size: 13.5px;
  text-align: left;
}
[aria-expanded='true'] {
  font-weight: 500;
}
label {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
}
.prop :deep(.text),
select {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  font-size: 13.5px;
  padding: 2px 5px;
  min-height: 26px;
  min-width: 0;
}
.prop :deep(.text) {
  width: 110px;
}
.tick {
  min-height: 24px;
}
</style>
