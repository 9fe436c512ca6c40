<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import { quantity } from '@/shared/units'
import { CURVES, type Curve } from './boneCurves'

/** A curve of a bone on the ribbon's time scale, with what it is compared with as a thin one. */
const props = defineProps<{
  curve: Curve
  name: string
  own: Float32Array | null
  other: Float32Array | null
  frame: number
}>()
const HEIGHT = 66
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

const bounds = computed(() => {
  let [low, high] = [Infinity, -Infinity]
  for (const list of [props.own, props.other])
    for (const value of list ?? []) {
      low = Math.min(low, value)
      high = Math.max(high, value)
    }
  return high - low < 1e-6 ? [low - 1, high + 1] : [low, high]
})
const x = (frame: number, frames: number) => (frames < 2 ? 24 : (frame / (frames - 1)) * (width.value - 48) + 24)
const y = (value: number) =>
  HEIGHT - 8 - ((value - bounds.value[0]) / (bounds.value[1] - bounds.value[0])) * (HEIGHT - 16)
function path(list: Float32Array | null) {
  if (!list?.length) return ''
  const step = Math.max(1, Math.floor(list.length / (width.value * 1.5)))
  let out = ''
  for (let frame = 0; frame < list.length; frame += step)
    out += `${out ? 'L' : 'M'}${x(frame, list.length).toFixed(1)} ${y(list[frame]).toFixed(1)}`
  return out
}
const at = (list: Float32Array | null) => list?.[Math.min(props.frame, list.length - 1)] ?? null
const written = (value: number) => quantity(value, CURVES[props.curve].unit, Math.abs(value) < 10 ? 1 : 0)
</script>

<template>
  <div ref="root" class="graph">
    <svg :width="width" :height="HEIGHT" role="img" :aria-label="`${name}, ${CURVES[curve].label}`">
      <path v-if="other" :d="path(other)" class="before" />
      <path :d="path(own)" class="now" />
      <line v-if="own" :x1="x(frame, own.length)" :x2="x(frame, own.length)" y1="0" :y2="HEIGHT" class="head" />
    </svg>
    <p v-if="own" class="mono numbers">
      <b>{{ written(at(own)!) }}</b>
      <span class="quiet">{{ written(bounds[0]) }} to {{ written(bounds[1]) }}</span>
    </p>
  </div>
</template>

<style scoped>
.graph {
  position: relative;
  background: var(--panel);
  overflow: hidden;
}
svg {
  display: block;
}
path {
  fill: none;
}
.before {
  stroke: var(--quiet);
  stroke-width: 0.8;
  opacity: 0.7;
}
.now {
  stroke: var(--ink);
  stroke-width: 1.4;
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
}
.numbers {
  position: absolute;
  right: 18px;
  top: 0;
  margin: 0;
  padding: 0 4px;
  font-size: 13px;
  background: var(--panel);
}
</style>
