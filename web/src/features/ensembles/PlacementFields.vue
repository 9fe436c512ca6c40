<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { frameNumber } from '@/shared/units'
import {
  placementAt,
  withKey,
  type CastingChange,
  type CastingRow,
  type EnsembleRow,
  type PlacementKey,
} from './ensembles'

/** Where somebody is placed otherwise: keys over time, and the one of the frame that is looked at. Space and sizes. */
const props = defineProps<{ row: EnsembleRow; cast: CastingRow; frame: number }>()
const emit = defineEmits<{ recast: [change: CastingChange]; frame: [frame: number] }>()
const who = defineModel<string>('who', { required: true })
const keys = computed(() => props.cast.placements[who.value] ?? [])
const at = computed(() => props.frame + props.row.first)
/** As it is in this frame, by a key or between two. */
const now = computed(() => placementAt(keys.value, at.value, props.cast.ease * props.row.fps))

const length = (label: string): NumberField => ({
  path: label,
  label,
  type: 'number',
  unit: 'cm',
  least: -1000,
  most: 1000,
  step: 1,
  scale: 100,
})
const [SIDE, AHEAD] = [length('along X'), length('along Z')]
const TURN: NumberField = { path: 'turn', label: 'turned', type: 'number', unit: '°', least: -360, most: 360, step: 1 }
const EASE: NumberField = {
  path: 'ease',
  label: 'comes and goes over',
  type: 'number',
  unit: 's',
  least: 0,
  most: 60,
  step: 0.1,
}
const SPACE: NumberField = {
  path: 'space',
  label: 'space',
  type: 'number',
  unit: '×',
  least: 0.01,
  most: 100,
  step: 0.01,
  empty: 'by size',
}
const size = (name: string): NumberField => ({ ...SPACE, path: name, label: name })

const put = (next: PlacementKey[]) => emit('recast', { placements: { ...props.cast.placements, [who.value]: next } })
const set = (change: Partial<PlacementKey>) => put(withKey(keys.value, at.value, { ...now.value, ...change }))
const removeKey = (frame: number) => put(keys.value.filter((each) => each.frame !== frame))
function setSpace(space: number | null) {
  emit('recast', { space, space_said: true })
}
function setSize(name: string, value: number | null) {
  const others = Object.entries(props.cast.sizes).filter(([other]) => other !== name)
  emit('recast', { sizes: Object.fromEntries(value === null ? others : [...others, [name, value]]) })
}
</script>

<template>
  <section>
    <div class="head">
      <h2>Placed otherwise</h2>
      <select v-model="who" aria-label="Who is placed">
        <option v-for="each in row.performers" :key="each" :value="each">{{ each }}</option>
      </select>
    </div>
    <div class="fields" role="group" :aria-label="`Where ${who} is in this frame`">
      <NumberBox :field="SIDE" :value="now.at[0]" :of="who" @keep="set({ at: [$event ?? 0, now.at[1]] })" />
      <NumberBox :field="AHEAD" :value="now.at[1]" :of="who" @keep="set({ at: [now.at[0], $event ?? 0] })" />
      <NumberBox :field="TURN" :value="now.turn" :of="who" @keep="set({ turn: $event ?? 0 })" />
    </div>
    <p v-if="!keys.length" class="quiet">
      Draw the ring about the feet of {{ who }}, or its knob, or say it in numbers: that holds for this frame, and
      between two frames it goes over from the one to the other.
    </p>
    <ul v-else aria-label="Keys">
      <li v-for="each in keys" :key="each.frame">
        <button class="plain word mono" @click="emit('frame', each.frame - row.first)">
          frame {{ frameNumber(each.frame - row.first) }}
        </button>
        <button
          class="plain word"
          :aria-label="`Remove the key of frame ${frameNumber(each.frame - row.first)}`"
          @click="removeKey(each.frame)"
        >
          Remove
        </button>
      </li>
      <li><NumberBox :field="EASE" :value="cast.ease" of="Easing" @keep="emit('recast', { ease: $event ?? 0 })" /></li>
    </ul>
    <div class="fields" role="group" aria-label="The space and the sizes of props">
      <NumberBox :field="SPACE" :value="cast.space" of="Space" @keep="setSpace" />
      <NumberBox
        v-for="prop in row.things"
        :key="prop.name"
        :field="size(prop.name)"
        :value="cast.sizes[prop.name] ?? null"
        of="Size"
        @keep="setSize(prop.name, $event)"
      />
    </div>
    <p class="quiet small">
      The space is {{ cast.space_used.toFixed(2) }} times the recording's<template
        v-for="prop in row.things"
        :key="prop.name"
        >, the {{ prop.name }} {{ (cast.sizes_used[prop.name] ?? 1).toFixed(2) }} times its size</template
      >.
    </p>
  </section>
</template>

<style scoped>
section {
  padding: 10px 16px 16px;
  border-top: 1px solid var(--hairline);
}
.head,
.fields,
ul,
li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: baseline;
}
ul {
  list-style: none;
  padding: 0;
  margin: 6px 0;
}
.fields {
  padding: 8px 0;
}
.word,
.small {
  font-size: 13.5px;
}
select {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font-size: 13.5px;
  padding: 2px 4px;
  min-height: 26px;
}
</style>
