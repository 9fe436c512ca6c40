<script setup lang="ts">
import type { Vector3 } from 'three'
import { computed, ref, watch } from 'vue'

import { axesOf, type Axes, type BonePose } from './stanceGeometry'
import type { StanceRow, Wanted } from './stances'
import type { Which } from './weave'

/** The bone that is turned by hand: its axes, how far it is turned about each, and what takes it back. */
const props = defineProps<{
  chosen: { which: Which; bone: string }
  row: StanceRow | undefined
  turned: boolean
  at: BonePose | null
  parent: BonePose | null
  forward: Vector3
  mirror: boolean
}>()
const axes = defineModel<Axes>('axes', { required: true })
const snap = defineModel<number>('snap', { required: true })
const emit = defineEmits<{ stand: [wanted: Wanted]; limb: []; close: [] }>()
const typed = ref(['', '', ''])
watch(
  () => [props.chosen.bone, axes.value],
  () => (typed.value = ['', '', '']),
)
const list = computed(() => {
  const at = axes.value === 'parent' ? (props.parent ?? props.at) : props.at
  return at ? axesOf(axes.value, at, props.forward) : []
})
function turn(n: number, degrees: number) {
  if (!Number.isFinite(degrees) || !degrees) return
  emit('stand', {
    op: 'turn',
    side: props.chosen.which,
    bone: props.chosen.bone,
    axis: list.value[n].axis.toArray(),
    degrees,
    mirror: props.mirror,
  })
}
function enter(n: number) {
  turn(n, Number(typed.value[n].replace(',', '.')))
  typed.value[n] = ''
}
</script>

<template>
  <div class="bone" role="group" :aria-label="`Turn ${chosen.bone} by hand`">
    <div class="line">
      <span class="mono name">{{ chosen.bone }}</span>
      <span class="quiet"
        >{{ row ? row.part : 'outside the plan' }}{{ chosen.which === 'source' ? ', source' : '' }}</span
      >
      <span class="space"></span>
      <button class="plain word" aria-label="Done with this bone" @click="emit('close')">Done</button>
    </div>
    <div class="line">
      <div class="choice" role="group" aria-label="Axes of">
        <button
          v-for="kind in ['own', 'parent', 'world'] as const"
          :key="kind"
          :aria-pressed="axes === kind"
          @click="axes = kind"
        >
          {{ { own: 'Bone', parent: 'Parent', world: 'World' }[kind] }}
        </button>
      </div>
      <label class="quiet steps"
        >steps of
        <select v-model.number="snap" aria-label="Steps of a turn">
          <option :value="0">any</option>
          <option :value="1">1°</option>
          <option :value="5">5°</option>
          <option :value="15">15°</option>
        </select></label
      >
    </div>
    <div class="axes">
      <div v-for="(turnAxis, n) in list" :key="turnAxis.name" class="axis">
        <svg width="26" height="8" aria-hidden="true"><line x1="1" y1="4" x2="25" y2="4" :class="`axis-${n}`" /></svg>
        <span>{{ turnAxis.name }}</span>
        <span class="name-break"></span>
        <button class="plain step" :aria-label="`Turn back about ${turnAxis.name}`" @click="turn(n, -(snap || 1))">
          −
        </button>
        <input
          v-model="typed[n]"
          placeholder="0.0"
          :aria-label="`Turn about ${turnAxis.name}, degrees`"
          inputmode="decimal"
          @keydown.enter="enter(n)"
        />°
        <button class="plain step" :aria-label="`Turn on about ${turnAxis.name}`" @click="turn(n, snap || 1)">+</button>
      </div>
    </div>
    <div class="line">
      <button
        class="plain word"
        :disabled="!turned"
        @click="emit('stand', { op: 'reset', side: chosen.which, bone: chosen.bone })"
      >
        Reset bone
      </button>
      <template v-if="row">
        <button class="plain word" @click="emit('stand', { op: 'reset', side: chosen.which, limb: row.limb })">
          Reset {{ row.limb }}
        </button>
        <button class="plain word" @click="emit('limb')">Align {{ row.limb }}</button>
      </template>
    </div>
  </div>
</template>

<style scoped>
.bone {
  border-top: 1px solid var(--hairline);
  padding: 8px 14px 10px;
  display: grid;
  gap: 6px;
  font-size: 13.5px;
  background: var(--panel);
}
.line {
  display: flex;
  gap: 10px;
  align-items: baseline;
  flex-wrap: wrap;
}
.name {
  font-weight: 700;
}
.choice button {
  padding: 2px 9px;
  font-size: 13px;
  min-height: 26px;
}
.steps {
  margin-left: auto;
}
select {
  font: inherit;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  min-height: 26px;
}
.axes {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 6px;
}
.axis {
  display: flex;
  align-items: center;
  gap: 3px;
  flex-wrap: wrap;
}
.name-break {
  flex-basis: 100%;
  height: 0;
}
.axis input {
  width: 3.6rem;
  text-align: right;
  font-family: var(--mono);
  font-size: 13px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  padding: 2px 5px;
  min-height: 26px;
}
.step {
  width: 24px;
  height: 26px;
  text-align: center;
  border-radius: 3px;
}
.step:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.word:disabled {
  color: var(--quiet);
  text-decoration: none;
  cursor: default;
}
line {
  stroke: var(--accent);
  stroke-width: 2;
}
.axis-1 {
  stroke-dasharray: 6 4;
}
.axis-2 {
  stroke-dasharray: 1.5 4;
  stroke-linecap: round;
}
</style>
