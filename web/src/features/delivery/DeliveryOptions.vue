<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '@/api/client'
import { lengthNumber, lengthStep, lengthUnit, metresOf, quantity } from '@/shared/units'
import { ENSEMBLES, KINDS, TOGETHER, UPS, type Wanted } from './deliveries'

/**
 * The form in which results go out. castings: whether some of them are of castings. thinned: what thinning the keys out
 * comes to, measured on one of them.
 */
defineProps<{
  usualName: string
  castings: boolean
  thinned: Schemas['Thinned'] | null
  measuring: boolean
}>()
const name = defineModel<string>('name', { required: true })
const wanted = defineModel<Wanted>('wanted', { required: true })
const holdsMesh = computed(() => ['glb', 'dae', 'usd'].includes(wanted.value.kind))
const ups = computed(() => UPS[wanted.value.kind] ?? [])
/** In the unit that lengths are typed in. */
const farthest = computed({
  get: () => +lengthNumber((wanted.value.thinned?.centimetres ?? 0) / 100, 2),
  set: (typed) => wanted.value.thinned && (wanted.value.thinned.centimetres = metresOf(typed) * 100),
})
function thin(on: boolean) {
  wanted.value.thinned = on ? { degrees: 0.5, centimetres: 0.2 } : null
}
</script>

<template>
  <aside class="pane options" aria-label="How it goes out">
    <h1>New delivery</h1>
    <slot />
    <label class="row"><span>Name</span><input v-model="name" :placeholder="usualName" maxlength="100" /></label>
    <fieldset>
      <legend>Format</legend>
      <div class="choice">
        <button
          v-for="(word, kind) in KINDS"
          :key="kind"
          :aria-pressed="wanted.kind === kind"
          @click="wanted.kind = kind"
        >
          {{ word }}
        </button>
      </div>
      <label v-if="holdsMesh" class="tick"
        ><input v-model="wanted.mesh" type="checkbox" /> with the character's mesh</label
      >
      <label v-if="wanted.kind === 'glb'" class="tick">
        <input v-model="wanted.together" type="checkbox" /> all clips of a character in one file
      </label>
      <template v-if="ups.length">
        <label class="row">
          <span>Unit</span>
          <select v-model="wanted.unit">
            <option v-for="unit in ['cm', 'm', 'mm', 'inch', 'foot', 'dm']" :key="unit">{{ unit }}</option>
          </select>
        </label>
        <label class="row">
          <span>Up</span>
          <select v-model="wanted.up">
            <option v-for="up in ups" :key="up">{{ up }}</option>
          </select>
        </label>
      </template>
      <p v-else class="quiet">Metres, +Y up, as the format has it.</p>
    </fieldset>
    <fieldset v-if="castings">
      <legend>Ensembles</legend>
      <label v-for="(word, way) in ENSEMBLES" :key="way" class="tick">
        <input
          v-model="wanted.ensembles"
          type="radio"
          name="ensembles"
          :value="way"
          :disabled="way === 'one file' && !TOGETHER.includes(wanted.kind)"
        />
        {{ word }}
      </label>
      <p v-if="!TOGETHER.includes(wanted.kind)" class="quiet">{{ KINDS[wanted.kind] }} holds one figure to a file.</p>
      <p v-else-if="wanted.ensembles === 'origin'" class="quiet">The manifest says where each begins.</p>
    </fieldset>
    <fieldset>
      <legend>Frames</legend>
      <label class="row">
        <span>Frame rate</span>
        <select v-model="wanted.fps">
          <option :value="null">each clip's own</option>
          <option v-for="fps in [24, 25, 30, 48, 50, 60, 120]" :key="fps" :value="fps">{{ fps }} fps</option>
        </select>
      </label>
      <label class="row">
        <span>First frame</span><input v-model.number="wanted.first" type="number" min="0" max="1000000" />
      </label>
      <p v-if="wanted.kind === 'bvh' && wanted.first" class="quiet">
        BVH does not number frames; the manifest says it.
      </p>
      <label class="row">
        <span>Travel</span>
        <select v-model="wanted.travel">
          <option value="as made">as it was made</option>
          <option value="in place">in place</option>
          <option value="root">on a root bone</option>
        </select>
      </label>
    </fieldset>
    <fieldset :disabled="wanted.kind !== 'glb'">
      <legend>Keys</legend>
      <label class="tick">
        <input
          type="checkbox"
          :checked="!!wanted.thinned"
          @change="thin(($event.target as HTMLInputElement).checked)"
        />
        thin them out
      </label>
      <p v-if="wanted.kind !== 'glb'" class="quiet">{{ KINDS[wanted.kind] }} has a key on every frame.</p>
      <template v-else-if="wanted.thinned">
        <label class="row">
          <span>off by at most</span>
          <input v-model.number="wanted.thinned.degrees" type="number" min="0.01" max="45" step="0.1" />°
        </label>
        <label class="row">
          <span>and</span>
          <input v-model.number="farthest" type="number" :min="0.01 * lengthStep()" step="any" />{{ lengthUnit.value }}
        </label>
        <p v-if="thinned" class="measured">
          {{ thinned.clip }} on {{ thinned.character }}:
          <span class="mono">{{ Math.round((thinned.keys / thinned.of) * 100) }} %</span> of the keys stay, off by at
          most <span class="mono">{{ thinned.degrees.toFixed(2) }}°</span> and
          <span class="mono">{{ quantity(thinned.centimetres, 'cm', 2) }}</span>.
        </p>
        <p v-else-if="measuring" class="quiet" role="status">Measuring …</p>
      </template>
    </fieldset>
    <label class="tick"><input v-model="wanted.fittings" type="checkbox" /> the fittings go along, as JSON</label>
    <label class="tick"><input v-model="wanted.touchups" type="checkbox" /> the touch-ups go along, as JSON</label>
  </aside>
</template>

<style scoped>
.options {
  width: 344px;
  padding: 14px 18px;
  display: grid;
  gap: 14px;
  align-content: start;
  font-size: 14px;
}
fieldset {
  border: 0;
  border-top: 1px solid var(--hairline);
  padding: 8px 0 0;
  display: grid;
  gap: 7px;
  min-width: 0;
}
fieldset:disabled .tick {
  opacity: 0.5;
}
legend {
  font-weight: 500;
  padding-right: 8px;
}
.choice {
  flex-wrap: wrap;
}
.choice button {
  padding: 3px 9px;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}
.row > span {
  width: 92px;
  flex: none;
}
.row input,
.row select {
  flex: 1;
  min-width: 0;
}
.row input {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  padding: 2px 8px;
  min-height: 28px;
  flex: 1;
  min-width: 0;
}
.row input[type='number'] {
  flex: 0 1 96px;
}
.tick {
  display: flex;
  gap: 7px;
  align-items: center;
  min-height: 24px;
}
.measured {
  border-left: 3px solid var(--ink);
  padding-left: 9px;
}
@media (max-width: 1150px) {
  .options {
    width: 300px;
  }
}
</style>
