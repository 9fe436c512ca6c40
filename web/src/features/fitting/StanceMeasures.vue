<script setup lang="ts">
import type { Schemas } from '@/api/client'
import DraftInput from '@/shared/fields/DraftInput.vue'
import { lengthNumber, lengthUnit, lengthWord, metresOf } from '@/shared/units'
import type { Wanted } from './stances'

/** Facing, floor and size: measured, each with a way to say otherwise. */
const props = defineProps<{ measures: Schemas['MeasuresOut']; character: string }>()
const emit = defineEmits<{ stand: [wanted: Wanted] }>()
const SIDES = ['source', 'target'] as const
const SIZES = ['legs', 'arms', 'spine'] as const
const percent = (ratio: number | null | undefined) => (ratio == null ? '—' : `${(ratio * 100).toFixed(1)} %`)

function said(event: Event, op: 'facing' | 'floor', side: 'source' | 'target') {
  const text = (event.target as HTMLInputElement).value.trim()
  const value = text === '' ? null : Number(text.replace(',', '.'))
  if (value !== null && !Number.isFinite(value)) return
  emit(
    'stand',
    op === 'facing' ? { op, side, degrees: value } : { op, side, height: value === null ? null : metresOf(value) },
  )
}
function sized(event: Event) {
  const value = Number((event.target as HTMLInputElement).value.replace(',', '.'))
  if (Number.isFinite(value) && value > 0) emit('stand', { op: 'size', ratio: value / 100 })
}
const facing = (side: 'source' | 'target') => props.measures[`${side}_facing`]
const floor = (side: 'source' | 'target') => lengthNumber(props.measures[`${side}_floor`])
</script>

<template>
  <div class="measures">
    <span class="quiet" title="Degrees from +Z, in the stance">facing</span>
    <span v-for="side in SIDES" :key="side" class="field">
      <DraftInput
        :value="facing(side).toFixed(1)"
        :aria-label="`Facing of ${side === 'source' ? 'the source' : character}, degrees`"
        inputmode="decimal"
        @change="said($event, 'facing', side)"
      />°
      <button
        v-if="measures[`${side}_facing_said`]"
        class="plain word"
        :title="measures.why[side === 'source' ? 0 : 1]"
        @click="emit('stand', { op: 'facing', side, degrees: null })"
      >
        measure
      </button>
    </span>
    <span class="quiet" title="From the floor up to the lowest foot joint">feet</span>
    <span v-for="side in SIDES" :key="side" class="field">
      <DraftInput
        :value="floor(side)"
        :aria-label="`Height of the lowest foot joint of ${side === 'source' ? 'the source' : character}, ${lengthWord()}`"
        inputmode="decimal"
        @change="said($event, 'floor', side)"
      />{{ lengthUnit.value }}
      <button
        v-if="measures[`${side}_floor_said`]"
        class="plain word"
        @click="emit('stand', { op: 'floor', side, height: null })"
      >
        measure
      </button>
    </span>
    <span class="quiet" title="The character against the source; hips move by the one that is chosen">size</span>
    <span class="sizes">
      <span class="choice" role="group" aria-label="Size the hips move by">
        <button
          v-for="by in SIZES"
          :key="by"
          :aria-pressed="measures.by === by"
          :disabled="measures[by] == null"
          @click="emit('stand', { op: 'size', by })"
        >
          {{ by }} <span class="mono">{{ percent(measures[by]) }}</span>
        </button>
      </span>
      <DraftInput
        :value="(measures.size * 100).toFixed(1)"
        :class="{ told: !measures.by }"
        aria-label="Size the hips move by, in percent"
        inputmode="decimal"
        @change="sized"
      />
    </span>
    <span class="quiet" title="What tells how upper arms and thighs are rolled about themselves">roll</span>
    <span class="sizes">
      <span class="choice" role="group" aria-label="What the roll of limbs is taken from">
        <button
          :aria-pressed="measures.hinges"
          title="About which axis elbows and knees were seen to turn; the list says how surely"
          @click="emit('stand', { op: 'hinges', by: 'motion' })"
        >
          how limbs bend in motion
        </button>
        <button
          :aria-pressed="!measures.hinges"
          title="How elbows and knees are bent where the bodies rest"
          @click="emit('stand', { op: 'hinges', by: 'rest' })"
        >
          at rest
        </button>
      </span>
    </span>
  </div>
</template>

<style scoped>
.measures {
  display: grid;
  grid-template-columns: 3.2rem 1fr 1fr;
  gap: 4px 8px;
  align-items: center;
  font-size: 13.5px;
}
.field {
  display: flex;
  gap: 4px;
  align-items: baseline;
}
.sizes {
  grid-column: 2 / 4;
  display: flex;
  gap: 6px;
  align-items: center;
}
.choice {
  flex: 1;
}
.choice button {
  flex: 1;
  padding: 2px 4px;
  font-size: 12.5px;
  white-space: nowrap;
}
.choice button:disabled {
  color: var(--quiet);
  cursor: default;
}
input {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 2px 6px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 13px;
  text-align: right;
  width: 4.4rem;
  min-height: 26px;
}
.sizes input {
  width: 3.9rem;
}
.told {
  border-color: var(--accent);
}
</style>
