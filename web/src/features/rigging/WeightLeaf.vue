<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '@/api/client'
import { lengthText } from '@/shared/units'
import type { Definition, Problem, Triple } from './rigs'

/** What each bone moves, what is wrong with it, and what was corrected by hand. */
const props = defineProps<{ definition: Definition; binding: Schemas['RigBinding'] | null }>()
const emit = defineEmits<{ keep: [definition: Definition]; see: [problem: Problem]; correct: [at: Triple] }>()
const bone = defineModel<string | null>('bone', { required: true })
const radius = defineModel<number>('radius', { required: true })
const amount = defineModel<number>('amount', { required: true })
const both = defineModel<boolean>('both', { required: true })
const bones = computed(() => (props.binding?.names ?? []).filter((name) => name !== 'root'))
const corrections = computed(() => props.definition.corrections)
/** Places by name, for who corrects without a pointer. */
const place = ref('')
const places = computed(() => {
  const faults = (props.binding?.problems ?? []).map(({ sentence, at }) => [sentence, at] as [string, Triple])
  const landmarks = Object.entries(props.definition.landmarks).map(([name, { at }]) => [name, at] as [string, Triple])
  return { faults: Object.fromEntries(faults), landmarks: Object.fromEntries(landmarks) }
})
const placed = computed(() => places.value.landmarks[place.value] ?? places.value.faults[place.value])
function remove(at: number) {
  emit('keep', { ...props.definition, corrections: corrections.value.filter((_, n) => n !== at) })
}
const percent = (value: number) => `${value > 0 ? '+' : '−'}${Math.abs(Math.round(value * 100))} %`
</script>

<template>
  <label class="field"
    >Show what follows
    <select v-model="bone" aria-label="Show what follows">
      <option :value="null">nothing: as it is painted</option>
      <option v-for="name in bones" :key="name">{{ name }}</option>
    </select>
  </label>
  <section v-if="bone" class="correct">
    <h2>Correct {{ bone }}</h2>
    <p class="quiet note">Click on the figure: what is there follows it more or less.</p>
    <div class="choice" role="group" aria-label="More or less">
      <button v-for="value in [1, 0.3, -0.3, -1]" :key="value" :aria-pressed="amount === value" @click="amount = value">
        {{ { 1: 'wholly', 0.3: 'more', '-0.3': 'less', '-1': 'not at all' }[`${value}` as '1'] }}
      </button>
    </div>
    <label class="field"
      >as far as <span class="mono">{{ lengthText(radius) }}</span>
      <input v-model.number="radius" type="range" min="0.01" max="0.4" step="0.01" aria-label="As far as, in metres" />
    </label>
    <label class="tick"><input v-model="both" type="checkbox" /> The other side alike</label>
    <div class="there">
      <select v-model="place" aria-label="Where">
        <option value="" disabled>or at …</option>
        <optgroup label="landmarks">
          <option v-for="(_, name) in places.landmarks" :key="name">{{ name }}</option>
        </optgroup>
        <optgroup v-if="Object.keys(places.faults).length" label="what is worth a look">
          <option v-for="(_, name) in places.faults" :key="name">{{ name }}</option>
        </optgroup>
      </select>
      <v-btn size="small" :disabled="!placed" @click="emit('correct', placed)">Correct there</v-btn>
    </div>
  </section>
  <template v-if="corrections.length">
    <h2>Corrections</h2>
    <ul>
      <li v-for="(row, n) in corrections" :key="n">
        <span>{{ row.bone }}</span><span class="mono quiet"
          >{{ percent(row.amount) }}, {{ lengthText(row.radius) }}</span
        >
        <button class="plain word" :aria-label="`Take back the correction of ${row.bone}`" @click="remove(n)">
          Take back
        </button>
      </li>
    </ul>
  </template>
  <h2>What is worth a look</h2>
  <p v-if="binding && !binding.problems.length" class="note">Nothing: it bends well in every posture.</p>
  <ul v-else-if="binding">
    <li v-for="(problem, n) in binding.problems" :key="n">
      <button class="plain problem" @click="emit('see', problem)">{{ problem.sentence }}</button>
    </li>
  </ul>
</template>

<style scoped>
.field {
  display: grid;
  gap: 3px;
  font-size: 14px;
}
.correct {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
  justify-items: start;
}
h2 {
  font-size: 1rem;
}
.there {
  display: flex;
  gap: 8px;
  width: 100%;
}
.there select {
  flex: 1;
  min-width: 0;
}
.note {
  margin: 0;
  font-size: 14px;
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  border-top: 1px solid var(--hairline);
}
li {
  display: flex;
  gap: 8px;
  justify-content: space-between;
  align-items: baseline;
  font-size: 13.5px;
  border-bottom: 1px solid var(--hairline);
}
.problem {
  width: 100%;
  padding: 4px 2px;
  min-height: 24px;
}
.problem:hover {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
