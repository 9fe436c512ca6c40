<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import type { Plate } from '@/stores/library'
import { inked } from './inked'
import { boxOf, share } from './plates'

/** A plate: poses inked one after another. Pointed at, it plays inside itself. pose: draw that one alone. */
const props = defineProps<{
  plate: Plate | null
  name: string
  seconds?: number
  playing?: boolean
  pose?: number
  range?: [number, number]
}>()
const lit = ref(-1)
let timer: ReturnType<typeof setInterval> | undefined

watch(
  () => props.playing,
  (now) => {
    clearInterval(timer)
    lit.value = -1
    if (now && props.plate) {
      const count = props.plate.poses.length
      timer = setInterval(
        () => (lit.value = (lit.value + 1) % count),
        Math.max(60, ((props.seconds ?? 2) * 1000) / count),
      )
    }
  },
)
onBeforeUnmount(() => clearInterval(timer))

const drawn = computed(() => {
  const p = props.plate
  if (!p) return null
  const top = p.height
  const only = props.pose
  const shown = only === undefined ? inked(p) : [inked(p)[only]]
  const box = boxOf(p, only)
  return { shown, box: `${box.left} ${box.top} ${box.width} ${box.height}`, width: box.width, top, left: box.left }
})
/** What is left out is faint; of a plate that plays, one pose is dark. */
function strength(n: number, count: number, frame: number) {
  const [first, last] = props.range ?? [-Infinity, Infinity]
  if (frame < first || frame > last) return 0.12
  if (lit.value >= 0) return n === lit.value ? 1 : 0.13
  return share(n, count)
}
</script>

<template>
  <svg
    v-if="drawn"
    :viewBox="drawn.box"
    class="plate"
    preserveAspectRatio="xMidYMax meet"
    role="img"
    :aria-label="`Plate of ${name}`"
  >
    <line :x1="drawn.left - 9000" :x2="drawn.left + drawn.width + 9000" :y1="drawn.top" :y2="drawn.top" class="floor" />
    <g
      v-for="(drawing, n) in drawn.shown"
      :key="n"
      :style="{ '--ink-share': `${Math.round(strength(n, drawn.shown.length, drawing.frame) * 100)}%` }"
    >
      <path :d="drawing.right" class="right" />
      <path :d="drawing.right" class="core" />
      <path :d="drawing.middle" class="middle" />
      <circle v-if="drawing.head" :cx="drawing.head.x" :cy="drawing.head.y" :r="drawing.head.r" class="head" />
      <path :d="drawing.fine" class="fine" />
      <path :d="drawing.left" class="left" />
    </g>
  </svg>
</template>

<style scoped>
.plate {
  width: 100%;
  height: 100%;
  display: block;
  overflow: hidden;
}
path,
.head {
  fill: none;
  stroke-linecap: round;
  stroke-linejoin: round;
}
/* Ink thinned with paper instead of made transparent: a dozen see-through layers a card would be slow to scroll. */
.middle {
  stroke: color-mix(in srgb, var(--ink) var(--ink-share), var(--panel));
  stroke-width: 30;
}
.left {
  stroke: color-mix(in srgb, var(--left) var(--ink-share), var(--panel));
  stroke-width: 26;
}
.right {
  stroke: color-mix(in srgb, var(--right) var(--ink-share), var(--panel));
  stroke-width: 38;
}
.core {
  stroke: var(--panel);
  stroke-width: 15;
}
.fine {
  stroke: color-mix(in srgb, var(--quiet) var(--ink-share), var(--panel));
  stroke-width: 9;
}
.head {
  stroke: color-mix(in srgb, var(--ink) var(--ink-share), var(--panel));
  stroke-width: 20;
  fill: var(--panel);
}
.floor {
  stroke: var(--hairline);
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
</style>
