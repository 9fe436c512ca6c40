<script setup lang="ts">
import { ref, watch } from 'vue'

import type { Axes, NamedAxis } from './stanceGeometry'

/** Turning a bone in numbers: about which axes, in which steps, and by how much. of: what is turned. */
const props = defineProps<{ list: NamedAxis[]; of: string }>()
const axes = defineModel<Axes>('axes', { required: true })
const snap = defineModel<number>('snap', { required: true })
const emit = defineEmits<{ turn: [axis: number[], degrees: number] }>()
const typed = ref(['', '', ''])
watch(
  () => [props.of, axes.value],
  () => (typed.value = ['', '', '']),
)
function turn(n: number, degrees: number) {
  if (Number.isFinite(degrees) && degrees) emit('turn', props.list[n].axis.toArray(), degrees)
}
function enter(n: number) {
  turn(n, Number(typed.value[n].replace(',', '.')))
  typed.value[n] = ''
}
</script>

<template>
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
        @keydown.esc="($event.target as HTMLInputElement).blur()"
        @keydown.up.prevent="turn(n, snap || 1)"
        @keydown.down.prevent="turn(n, -(snap || 1))"
      />°
      <button class="plain step" :aria-label="`Turn on about ${turnAxis.name}`" @click="turn(n, snap || 1)">+</button>
    </div>
  </div>
</template>

<style scoped src="./axisFields.css"></style>
