<script setup lang="ts">
import DraftInput from '@/shared/fields/DraftInput.vue'
import { lengthNumber, lengthUnit, lengthWord, metresOf } from '@/shared/units'
import type { Change, Measures, Travel } from './useSettling'

/** Travel over the ground: where it goes, which of it is meant, and where the first frame stands. */
const props = defineProps<{ travel: Travel; parts: string[]; measures: Measures | null }>()
const emit = defineEmits<{ keep: [said: Change] }>()
const keep = (said: Partial<Travel>) => emit('keep', { travel: said })
const AXES = [
  ['ahead', 'ahead'],
  ['sideways', 'sideways'],
  ['up', 'up and down'],
  ['heading', 'heading'],
] as const
function number(event: Event) {
  const value = Number((event.target as HTMLInputElement).value.replace(',', '.'))
  return Number.isFinite(value) ? value : null
}
function at(event: Event, axis: number) {
  const value = number(event)
  if (value === null) return
  const next = [...props.travel.at] as [number, number, number]
  next[axis] = axis < 2 ? metresOf(value) : value
  keep({ place: 'given', at: next })
}
</script>

<template>
  <section data-control="travel">
    <h2>Travel</h2>
    <div class="fields">
      <span class="choice" role="group" aria-label="Where travel over the ground goes">
        <button :aria-pressed="travel.mode === 'keep'" @click="keep({ mode: 'keep' })">Keep</button>
        <button :aria-pressed="travel.mode === 'in place'" @click="keep({ mode: 'in place' })">In place</button>
        <button
          :aria-pressed="travel.mode === 'root'"
          title="On the bone above the hips; one is made in the file where there is none"
          @click="keep({ mode: 'root' })"
        >
          On a root bone
        </button>
      </span>
      <template v-if="travel.mode !== 'keep'">
        <label v-for="[axis, word] in AXES" :key="axis" class="tick"
          ><input type="checkbox" :checked="travel[axis]" @change="keep({ [axis]: !travel[axis] })" /> {{ word }}</label
        >
      </template>
    </div>
    <div class="fields">
      <span class="choice" role="group" aria-label="Where the first frame stands">
        <button :aria-pressed="travel.place === 'recorded'" @click="keep({ place: 'recorded' })">As recorded</button>
        <button
          :aria-pressed="travel.place === 'origin'"
          title="At the origin, facing +Z"
          @click="keep({ place: 'origin' })"
        >
          At the origin
        </button>
        <button :aria-pressed="travel.place === 'given'" @click="keep({ place: 'given' })">There:</button>
      </span>
      <template v-if="travel.place === 'given'">
        <label
          >x
          <DraftInput
            :value="+lengthNumber(travel.at[0])"
            inputmode="decimal"
            :aria-label="`x in ${lengthWord()}`"
            @change="at($event, 0)"
        /></label>
        <label
          >z
          <DraftInput
            :value="+lengthNumber(travel.at[1])"
            inputmode="decimal"
            :aria-label="`z in ${lengthWord()}`"
            @change="at($event, 1)"
          />{{ lengthUnit.value }}</label
        >
        <label
          >facing
          <DraftInput
            :value="+travel.at[2].toFixed(1)"
            inputmode="decimal"
            aria-label="Facing in degrees from +Z"
            @change="at($event, 2)"
          />°</label
        >
      </template>
    </div>
    <div v-if="travel.mode !== 'keep' || travel.place !== 'recorded'" class="fields">
      <label
        >Led by
        <select
          :value="travel.lead"
          aria-label="The part that travel is read from"
          @change="keep({ lead: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="part in parts" :key="part">{{ part }}</option>
        </select></label
      >
      <label
        >Heading smoothed over
        <DraftInput
          :value="travel.smoothing"
          inputmode="decimal"
          aria-label="Seconds over which heading is smoothed"
          @change="number($event) !== null && keep({ smoothing: number($event)! })"
        />s</label
      >
    </div>
  </section>
</template>

<style scoped>
.tick {
  display: flex;
  gap: 4px;
  align-items: center;
  min-height: 24px;
}
select {
  max-width: 9rem;
}
</style>
