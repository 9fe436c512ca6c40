<script setup lang="ts">
import { computed } from 'vue'

import { frameRange, quantity } from '@/shared/units'
import type { LoopCandidate } from './recipe'

/** Where a clip could loop, each with what changes between its ends; pointing at one lays both ends over each other. */
const props = defineProps<{ loops: LoopCandidate[]; first: number | null; last: number | null }>()
defineEmits<{ choose: [loop: LoopCandidate]; compare: [loop: LoopCandidate | null] }>()
const dearest = computed(() => Math.max(0.005, ...props.loops.map((loop) => loop.cost)))
const same = (loop: LoopCandidate) => loop.first === props.first && loop.last === props.last
const said = (loop: LoopCandidate) =>
  [
    `poses ${quantity(loop.apart, 'cm')} and ${loop.pose.toFixed(1)}° apart`,
    `${quantity(loop.velocity, 'cm/s', 0)} between their speeds`,
    loop.feet ? `${loop.feet} of the feet's places rest at one end alone` : 'feet alike',
    `turned by ${Math.abs(loop.heading).toFixed(0)}°`,
  ].join(', ')
</script>

<template>
  <div v-if="loops.length" class="loops" role="group" aria-label="Where it could loop">
    <button
      v-for="loop in loops"
      :key="`${loop.first}.${loop.last}`"
      class="plain loop"
      :aria-pressed="same(loop)"
      :title="said(loop)"
      @click="$emit('choose', loop)"
      @mouseenter="$emit('compare', loop)"
      @mouseleave="$emit('compare', null)"
      @focus="$emit('compare', loop)"
      @blur="$emit('compare', null)"
    >
      <span class="mono">{{ frameRange(Math.round(loop.first), Math.round(loop.last)) }}</span>
      <span class="bar" aria-hidden="true"><span :style="{ width: `${(loop.cost / dearest) * 100}%` }"></span></span>
      <span class="mono quiet">{{ loop.pose.toFixed(1) }}° {{ quantity(loop.velocity, 'cm/s', 0) }}</span>
    </button>
  </div>
  <p v-else class="quiet">No two frames of it are alike enough to loop by themselves.</p>
</template>

<style scoped>
.loops {
  display: grid;
  font-size: 13px;
}
.loop {
  display: grid;
  grid-template-columns: 6.2rem 1fr 7.2rem;
  gap: 10px;
  align-items: center;
  min-height: 24px;
  padding: 0 4px;
}
.loop[aria-pressed='true'] {
  background: var(--paper);
  font-weight: 600;
}
.loop:hover {
  background: var(--paper);
}
.bar {
  height: 3px;
  background: var(--hairline);
}
.bar span {
  display: block;
  height: 3px;
  background: var(--ink);
}
p {
  font-size: 13px;
}
</style>
