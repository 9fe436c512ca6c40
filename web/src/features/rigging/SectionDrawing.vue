<script setup lang="ts">
import { computed } from 'vue'

import { lengthText } from '@/shared/units'
import type { Section, Triple } from './rigs'

/** The cut through the body at a landmark: what is cut, the landmark, and the middle of its own outline. */
const props = defineProps<{ section: Section; at: Triple; ahead: number[] }>()
const SIZE = 190
const dot = (a: number[], b: number[]) => a.reduce((sum, value, axis) => sum + value * b[axis], 0)
const cross = ([a, b, c]: number[], [d, e, f]: number[]) => [b * f - c * e, c * d - a * f, a * e - b * d]
const scaled = (v: number[], by: number) => v.map((value) => value * by)
const unit = (v: number[]) => scaled(v, 1 / Math.max(Math.hypot(...v), 1e-9))
/** To the right and up in the drawing: ahead is up, or what is highest where the cut runs across ahead. */
const axes = computed(() => {
  const { normal } = props.section
  const across = (v: number[]) => v.map((value, axis) => value - dot(v, normal) * normal[axis])
  const ahead = across(props.ahead)
  const up = unit(Math.hypot(...ahead) > 0.3 ? ahead : across([0, 1, 0]))
  return { right: cross(up, normal), up }
})
const own = computed(() => props.section.segments.filter((_, n) => props.section.own[n]))
/** Metres that are shown: the landmark's own outline and something beyond. */
const reach = computed(() => {
  const places = own.value.flat().map((point) => flat(point))
  return Math.max(0.02, ...places.map(({ x, y }) => Math.max(Math.abs(x), Math.abs(y)))) * 1.15
})
function flat(point: number[]) {
  const off = point.map((value, axis) => value - props.at[axis])
  return { x: dot(off, axes.value.right), y: dot(off, axes.value.up) }
}
const drawn = (point: number[]) => {
  const { x, y } = flat(point)
  const by = SIZE / 2 / Math.min(reach.value, 0.6)
  return { x: +(SIZE / 2 + x * by).toFixed(1), y: +(SIZE / 2 - y * by).toFixed(1) }
}
const outline = (mine: boolean) =>
  props.section.segments
    .filter((_, n) => props.section.own[n] === mine)
    .map(([a, b]) => [drawn(a), drawn(b)])
    .map(([a, b]) => `M${a.x},${a.y}L${b.x},${b.y}`)
    .join('')
const middle = computed(() => props.section.middle && drawn(props.section.middle))
const off = computed(() =>
  props.section.middle ? Math.hypot(...props.section.middle.map((value, axis) => value - props.at[axis])) : 0,
)
</script>

<template>
  <figure>
    <svg
      :width="SIZE"
      :height="SIZE"
      role="img"
      :aria-label="`The cut through the body here; its middle is ${lengthText(off)} away`"
    >
      <path class="others" :d="outline(false)" />
      <path class="own" :d="outline(true)" />
      <circle v-if="middle" class="middle" :cx="middle.x" :cy="middle.y" r="5" />
      <path class="here" :d="`M${SIZE / 2 - 6},${SIZE / 2}h12M${SIZE / 2},${SIZE / 2 - 6}v12`" />
    </svg>
    <figcaption v-if="section.middle" class="quiet">
      middle of this cut: <span class="mono">{{ lengthText(off) }}</span> away
    </figcaption>
    <figcaption v-else class="quiet">it lies outside the body</figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  display: grid;
  justify-items: center;
  gap: 2px;
  font-size: 13.5px;
}
svg {
  border: 1px solid var(--hairline);
  background: var(--panel);
}
path,
circle {
  fill: none;
}
.own {
  stroke: var(--ink);
  stroke-width: 1.6;
}
.others {
  stroke: var(--hairline);
}
.middle {
  stroke: var(--ink);
}
.here {
  stroke: var(--accent);
  stroke-width: 2;
}
</style>
