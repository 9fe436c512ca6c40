<script setup lang="ts">
import { SURE, sideOf, type Pair } from './weave'

/** What is drawn behind the bones: the two trees, the threads between them, and the thread in the hand. */
export interface DrawnThread {
  id: string
  pair: Pair
  d: string
  middle: { x: number; y: number }
}
defineProps<{
  width: number
  height: number
  strokes: { d: string; side: string }[]
  threads: DrawnThread[]
  loose: string | null
  pointed: string[]
  changed: string[]
}>()
const emit = defineEmits<{ point: [id: string] }>()
</script>

<template>
  <svg :width="width" :height="height" aria-hidden="true">
    <path v-for="(stroke, n) in strokes" :key="n" class="stroke" :class="stroke.side" :d="stroke.d" />
    <g
      v-for="{ id, pair, d, middle } in threads"
      :key="id"
      class="thread"
      :class="[
        sideOf(pair.part),
        {
          confirmed: pair.confirmed,
          crossing: pair.crosses,
          lit: pointed.includes(pair.key),
          changed: changed.includes(pair.key),
        },
      ]"
      @mouseenter="emit('point', pair.key)"
    >
      <path class="grip" :d="d" />
      <path class="line" :d="d" />
      <path v-if="sideOf(pair.part) === 'right' && !pair.crosses" class="core" :d="d" />
      <g v-if="pair.crosses" :transform="`translate(${middle.x} ${middle.y})`">
        <circle class="mark" r="8" />
        <path class="sign" d="M-3.5 -3.5 L3.5 3.5 M3.5 -3.5 L-3.5 3.5" />
      </g>
      <template v-else-if="!pair.confirmed && pair.confidence < SURE">
        <rect class="plate" :x="middle.x - 11" :y="middle.y - 8" width="22" height="16" rx="3" />
        <text class="mono" :x="middle.x" :y="middle.y + 4.5">{{ Math.round(pair.confidence * 100) }}</text>
      </template>
    </g>
    <path v-if="loose" class="loose" :d="loose" />
  </svg>
</template>

<style scoped>
svg {
  position: absolute;
  inset: 0;
}
.stroke {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.1;
  opacity: 0.22;
}
.stroke.left {
  stroke: var(--left);
}
.stroke.right {
  stroke: var(--right);
}
.grip {
  fill: none;
  stroke: transparent;
  stroke-width: 12;
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.5;
  stroke-dasharray: 4 4;
}
.thread.left .line {
  stroke: var(--left);
}
.thread.right .line {
  stroke: var(--right);
  stroke-width: 3.6;
}
.thread.right .core {
  fill: none;
  stroke: var(--panel);
  stroke-width: 1.4;
}
.thread.confirmed .line {
  stroke-dasharray: none;
}
.thread.lit .line {
  stroke-width: 3;
}
.thread.right.lit .line {
  stroke-width: 5.5;
}
.thread.changed .line {
  stroke: var(--accent);
}
.thread.crossing .line {
  stroke: var(--wrong);
  stroke-width: 2.6;
}
.thread .mark {
  fill: var(--panel);
  stroke: var(--wrong);
  stroke-width: 1.5;
}
.thread .sign {
  stroke: var(--wrong);
  stroke-width: 1.8;
}
.thread .plate {
  fill: var(--panel);
}
.thread text {
  font-size: 11.5px;
  text-anchor: middle;
  fill: var(--ink);
}
.loose {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2;
  stroke-dasharray: 2 3;
  pointer-events: none;
}
</style>
