<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import { quantity } from '@/shared/units'
import type { NumberField } from '@/shared/fields/numberField'
import { BLENDS, blendWord, pivotWord, type Join, type MadeJoin } from './splices'

/** What is said of a join, and what was made of it where nothing is said; how it measures beside its clips. */
const props = defineProps<{ join: Join; made: MadeJoin | undefined; pivots: string[]; fps: number; number: number }>()
const emit = defineEmits<{ try: [changes: Partial<Join>]; keep: [changes: Partial<Join>] }>()
const numeric = (
  path: string,
  label: string,
  unit: string,
  least: number,
  most: number,
  step: number,
): NumberField => ({
  type: 'number',
  path,
  label,
  unit,
  least,
  most,
  step,
})
const frames = computed(() => Math.max(0, (props.made?.last ?? 0) - (props.made?.first ?? 0) + 1))
const OVERLAP = computed(() => ({
  ...numeric('overlap', 'Overlap', 's', 0, 5, 0.05),
  empty: `${(frames.value / props.fps).toFixed(2)}`,
}))
const TURN = numeric('turn', 'Goes on turning', '°', -360, 360, 5)
const OVER = numeric('over', 'over', 's', 0.1, 60, 0.1)
const PLACE = ['at', ''].map((label, n) => ({ ...numeric('xz'[n], label, 'cm', -1e6, 1e6, 10), scale: 100 }))
const FACING = numeric('facing', 'facing', '°', -360, 360, 5)
const of = computed(() => `Join ${props.number + 1}`)
const value = (event: Event) => (event.target as HTMLSelectElement).value
/** Said as a place, it begins where it is. */
function pivot(to: string) {
  const at = props.made?.place
  emit('keep', to === 'place' && at ? { pivot: to, place: [at[0], at[2]] } : { pivot: to })
}
const placed = (axis: number, to: number | null): Partial<Join> => ({
  place: props.join.place.map((value, n) => (n === axis ? (to ?? 0) : value)),
})
const shown = (value: number, unit: string) => quantity(value, unit, value < 20 ? 1 : 0)
const measures = computed(() => {
  const found = props.made?.measures
  if (!found) return []
  const { step, velocity, slide, lift, heading } = found
  return [
    { word: 'foot slide', joined: slide.joined, clips: slide.clips, unit: 'cm/s' },
    { word: 'change of speed', joined: velocity.joined, clips: velocity.clips, unit: 'cm/s' },
    { word: 'way in a frame', joined: step.joined, clips: step.clips, unit: 'cm' },
    { word: 'feet off the floor', joined: lift, clips: null, unit: 'cm' },
    { word: 'heading', joined: Math.abs(heading), clips: null, unit: '°' },
  ]
})
</script>

<template>
  <div class="fields">
    <div class="row">
      <NumberBox
        :field="OVERLAP"
        :value="join.overlap"
        :of="of"
        @try="emit('try', { overlap: $event })"
        @keep="emit('keep', { overlap: $event })"
      />
      <button v-if="join.overlap !== null" class="plain word" @click="emit('keep', { overlap: null })">
        by itself
      </button>
      <span v-else class="quiet mono">{{ frames }} frames, by itself</span>
    </div>
    <label class="row">
      <span class="quiet">About</span>
      <select :value="join.pivot" :aria-label="`${of}, what is held still`" @change="pivot(value($event))">
        <option value="auto">{{ pivotWord('auto') }}</option>
        <option value="body">{{ pivotWord('body') }}</option>
        <option v-for="part in pivots" :key="part" :value="part">{{ part }}</option>
        <option value="place">{{ pivotWord('place') }}</option>
      </select>
      <span v-if="join.pivot === 'auto' && made" class="quiet">{{ made.pivot }}</span>
    </label>
    <div v-if="join.pivot === 'place'" class="row">
      <NumberBox
        v-for="(field, axis) in PLACE"
        :key="axis"
        :field="field"
        :value="join.place[axis]"
        :of="`${of}, ${axis ? 'Z' : 'X'}`"
        @try="emit('try', placed(axis, $event))"
        @keep="emit('keep', placed(axis, $event))"
      />
      <NumberBox
        :field="FACING"
        :value="join.facing"
        :of="of"
        @try="emit('try', { facing: $event ?? 0 })"
        @keep="emit('keep', { facing: $event ?? 0 })"
      />
    </div>
    <label class="row">
      <span class="quiet">Goes over by</span>
      <select
        :value="join.blend"
        :aria-label="`${of}, how it goes over`"
        @change="emit('keep', { blend: value($event) as Join['blend'] })"
      >
        <option v-for="(word, name) in BLENDS" :key="name" :value="name">{{ word }}</option>
      </select>
      <span v-if="join.blend === 'auto' && made" class="quiet">{{ blendWord[made.blend] }}</span>
    </label>
    <div class="row">
      <NumberBox
        :field="TURN"
        :value="join.turn"
        :of="of"
        @try="emit('try', { turn: $event ?? 0 })"
        @keep="emit('keep', { turn: $event ?? 0 })"
      />
      <NumberBox
        v-if="join.turn"
        :field="OVER"
        :value="join.over"
        :of="of"
        @try="emit('try', { over: $event ?? 1 })"
        @keep="emit('keep', { over: $event ?? 1 })"
      />
      <label class="feet">
        <input
          type="checkbox"
          :checked="join.feet"
          @change="emit('keep', { feet: ($event.target as HTMLInputElement).checked })"
        />
        Feet that rest stay
      </label>
    </div>
    <dl v-if="measures.length" class="measures">
      <template v-for="row in measures" :key="row.word">
        <dt class="quiet">{{ row.word }}</dt>
        <dd class="mono">{{ shown(row.joined, row.unit) }}</dd>
        <dd class="mono quiet">
          {{ row.clips === null ? '' : `${shown(row.clips, row.unit).split(' ')[0]} in the clips` }}
        </dd>
      </template>
    </dl>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 7px;
  padding: 8px 14px 10px;
  font-size: 13.5px;
  border-bottom: 1px solid var(--hairline);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: baseline;
}
select {
  font-size: 13.5px;
}
.feet {
  margin-left: auto;
  display: flex;
  gap: 6px;
  align-items: center;
}
.measures {
  display: grid;
  grid-template-columns: auto auto 1fr;
  gap: 1px 12px;
  margin: 2px 0 0;
  font-size: 13px;
}
dd {
  margin: 0;
  text-align: right;
}
dd:nth-child(3n) {
  text-align: left;
}
</style>
