<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { lengthText } from '@/shared/units'
import type { Move } from './moves'
import PieceMove from './PieceMove.vue'
import {
  handlingOf,
  PLANS,
  POSES,
  readingOf,
  turnedRound,
  withHandling,
  type Definition,
  type Piece,
  type Reading,
  type RigRow,
} from './rigs'

/** How the file is read, what its surface is like, and what becomes of its pieces. */
const props = defineProps<{
  row: RigRow
  definition: Definition
  follows: Record<string, string> | null
  /** The piece in hand, how it is moved, and whether another mirrors it. */
  taken: number | null
  move: Move | null
  twin: boolean
}>()
const both = defineModel<boolean>('both', { required: true })
const emit = defineEmits<{
  keep: [definition: Definition]
  read: [reading: Reading]
  point: [piece: Piece | null]
  take: [piece: number]
  tryMove: [move: Move]
  keepMove: [move: Move]
}>()
const reading = computed(() => readingOf(props.definition))
const UNITS = { metres: 1, centimetres: 0.01, millimetres: 0.001, inches: 0.0254, feet: 0.3048, decimetres: 0.1 }
const AXES = ['+Y', '+Z', '+X', '-Y', '-Z', '-X']
const height = computed(() => props.row.facts.high[1] - props.row.facts.low[1])
const unitName = computed(
  () => Object.entries(UNITS).find(([, size]) => Math.abs(size - props.row.facts.unit) < 1e-9)?.[0] ?? 'its own',
)
const flaws = computed(() => {
  const { holes, doubled, crowded, turned } = props.row.facts.flaws
  const words = [
    [holes, 'hole', 'holes'],
    [doubled, 'triangle twice', 'triangles twice'],
    [crowded, 'edge with more than two triangles', 'edges with more than two triangles'],
    [turned, 'edge between inside and out', 'edges between inside and out'],
  ] as const
  return words.filter(([count]) => count).map(([count, one, many]) => `${count} ${count === 1 ? one : many}`)
})
const bones = computed(() => props.row.skeleton.names.filter((name) => name !== 'root'))
const proposed = (piece: number) => {
  const bone = props.follows?.[piece]
  return bone && handlingOf(props.definition, piece) === 'proposed' ? `proposed: ${bone}` : 'as proposed'
}
const SOFTNESS: NumberField = {
  path: 'softness',
  label: 'softness',
  type: 'number',
  unit: '%',
  step: 5,
  least: 1,
  most: 100,
} as never
const soften = (piece: number, percent: number) =>
  emit('keep', { ...props.definition, softness: { ...props.definition.softness, [piece]: percent / 100 } })
const value = (event: Event) => (event.target as HTMLSelectElement).value
</script>

<template>
  <dl>
    <dt>file</dt>
    <dd class="mono">{{ row.file }}</dd>
    <dt>mesh</dt>
    <dd>
      <span class="mono">{{ row.facts.points.toLocaleString('en') }}</span> points,
      <span class="mono">{{ row.facts.triangles.toLocaleString('en') }}</span> triangles
    </dd>
    <dt>height</dt>
    <dd class="mono">{{ lengthText(height) }}</dd>
    <dt><label for="rig-unit">unit</label></dt>
    <dd>
      <select
        id="rig-unit"
        :value="definition.unit ?? ''"
        @change="emit('read', { ...reading, unit: Number(value($event)) || null })"
      >
        <option value="">{{ definition.unit === null ? `as found: ${unitName}` : 'as its size says' }}</option>
        <option v-for="(size, name) in UNITS" :key="name" :value="size">{{ name }}</option>
      </select>
    </dd>
    <dt><label for="rig-up">up</label></dt>
    <dd>
      <select
        id="rig-up"
        :value="definition.up ?? ''"
        @change="emit('read', { ...reading, up: value($event) || null, plan: null })"
      >
        <option value="">{{ definition.up === null ? `as found: ${row.facts.up}` : 'as it stands' }}</option>
        <option v-for="axis in AXES" :key="axis">{{ axis }}</option>
      </select>
    </dd>
    <dt><label for="rig-plan">body</label></dt>
    <dd>
      <select
        id="rig-plan"
        :value="definition.plan"
        @change="emit('read', { ...reading, plan: value($event) as Definition['plan'] })"
      >
        <option v-for="(name, plan) in PLANS" :key="plan" :value="plan">{{ name }}</option>
      </select>
    </dd>
    <template v-if="row.poses.length > 1">
      <dt><label for="rig-pose">pose</label></dt>
      <dd>
        <select
          id="rig-pose"
          :value="definition.pose"
          @change="emit('read', { ...reading, pose: value($event) as Definition['pose'] })"
        >
          <option v-for="pose in row.poses" :key="pose" :value="pose">{{ POSES[pose] }}</option>
        </select>
      </dd>
    </template>
    <dt>faces</dt>
    <dd>
      <button class="plain word" @click="emit('keep', turnedRound(definition))">It looks the other way</button>
    </dd>
    <dt>surface</dt>
    <dd>
      {{ flaws.length ? flaws.join(', ') : 'closed and even'
      }}<span v-if="flaws.length" class="quiet">; no matter for its bones</span>
    </dd>
  </dl>
  <h2>Pieces</h2>
  <p class="quiet note">
    What hangs together. A piece can be left out, go along with a bone as it is, or bend as cloth; take it by its name
    to move it before the mesh is bound.
  </p>
  <ul class="pieces" @mouseleave="emit('point', null)">
    <li
      v-for="piece in row.facts.pieces"
      :key="piece.number"
      :class="{ out: handlingOf(definition, piece.number) === 'omitted' }"
      @mouseenter="emit('point', piece)"
      @focusin="emit('point', piece)"
      @focusout="emit('point', null)"
    >
      <button
        class="plain name"
        :title="`Move ${piece.name}`"
        :aria-expanded="piece.number === taken"
        @click="emit('take', piece.number)"
      >
        {{ piece.name }}<span v-if="piece.number in definition.moves" class="quiet"> moved</span>
      </button>
      <span class="mono quiet">{{ piece.points.toLocaleString('en') }}</span>
      <select
        :aria-label="`What becomes of ${piece.name}`"
        :value="handlingOf(definition, piece.number)"
        @change="emit('keep', withHandling(definition, piece.number, value($event)))"
      >
        <option value="proposed">{{ proposed(piece.number) }}</option>
        <option value="bends">bends with the body</option>
        <option value="cloth">bends softly, as cloth</option>
        <option value="omitted">left out</option>
        <optgroup label="follows">
          <option v-for="bone in bones" :key="bone" :value="`bone ${bone}`">{{ bone }}</option>
        </optgroup>
      </select>
      <NumberBox
        v-if="piece.number in definition.softness"
        class="softness"
        :field="SOFTNESS"
        :value="Math.round(definition.softness[piece.number] * 100)"
        :of="piece.name"
        @keep="(value) => value !== null && soften(piece.number, value)"
      />
      <PieceMove
        v-if="piece.number === taken && move"
        v-model:both="both"
        :definition="definition"
        :name="piece.name"
        :move="move"
        :twin="twin"
        @try="(to) => emit('tryMove', to)"
        @keep="(to) => emit('keepMove', to)"
      />
    </li>
  </ul>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 4.2rem 1fr;
  gap: 4px 8px;
  margin: 0;
  font-size: 14px;
  align-items: baseline;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
h2 {
  font-size: 1rem;
}
.note {
  margin: 0;
  font-size: 14px;
}
.pieces {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--hairline);
}
li {
  display: grid;
  grid-template-columns: 1fr auto 9.5rem;
  gap: 8px;
  align-items: center;
  font-size: 13.5px;
  padding: 2px 0;
  border-bottom: 1px solid var(--hairline);
}
.softness {
  grid-column: 2 / -1;
  justify-self: end;
}
.out .name {
  text-decoration: line-through;
}
.name[aria-expanded='true'] {
  font-weight: 500;
}
.name {
  min-height: 24px;
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li select {
  width: 100%;
  font-size: 13px;
}
</style>
