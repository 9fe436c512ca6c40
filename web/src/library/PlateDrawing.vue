<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { useLibrary, type Clip, type Plate } from '@/stores/library'

/** A clip's plate: its poses inked one after another. Pointed at, it plays inside itself. */
const props = defineProps<{ clip: Clip; playing?: boolean; pose?: number }>()
const library = useLibrary()
const plate = ref<Plate | null>(null)
const failed = ref(false)
const lit = ref(-1)
let timer: ReturnType<typeof setInterval> | undefined

watch(
  () => [props.clip.id, props.clip.revision],
  async () => {
    failed.value = false
    plate.value = await library.plate(props.clip).catch(() => {
      failed.value = true
      return null
    })
  },
  { immediate: true },
)
watch(
  () => props.playing,
  (now) => {
    clearInterval(timer)
    lit.value = -1
    if (now && plate.value) {
      const count = plate.value.poses.length
      timer = setInterval(() => (lit.value = (lit.value + 1) % count), Math.max(60, (props.clip.seconds * 1000) / count))
    }
  },
)
onBeforeUnmount(() => clearInterval(timer))

const drawn = computed(() => {
  const p = plate.value
  if (!p) return null
  const top = p.height
  const only = props.pose
  const poses = only === undefined ? p.poses : [p.poses[only]]
  const shown = poses.map((values) => {
    const path = { left: '', right: '', middle: '' }
    for (let n = 0; n < p.sides.length; n++) {
      const [x0, y0, x1, y1] = values.slice(n * 4, n * 4 + 4)
      const side = (p.sides[n] || 'middle') as keyof typeof path
      path[side] += `M${x0} ${(top - y0).toFixed(1)}L${x1} ${(top - y1).toFixed(1)}`
    }
    return path
  })
  const xs = only === undefined ? [0, p.width] : poses[0].filter((_, n) => n % 2 === 0)
  const left = Math.min(...xs)
  const width = Math.max(...xs) - left
  return { shown, box: `${left - 8} -8 ${width + 16} ${top + 16}`, width, top, left }
})
/** Later poses are inked darker, as the plate of a moving body comes out. */
function strength(n: number, count: number) {
  if (lit.value >= 0) return n === lit.value ? 1 : 0.13
  return count < 2 ? 1 : 0.4 + 0.6 * (n / (count - 1))
}
</script>

<template>
  <svg v-if="drawn" :viewBox="drawn.box" class="plate" preserveAspectRatio="xMidYMax meet" role="img" :aria-label="`Plate of ${clip.name}`">
    <line :x1="drawn.left - 400" :x2="drawn.left + drawn.width + 400" :y1="drawn.top" :y2="drawn.top" class="floor" />
    <g v-for="(drawing, n) in drawn.shown" :key="n" :opacity="strength(n, drawn.shown.length)">
      <path :d="drawing.right" class="right" />
      <path :d="drawing.right" class="core" />
      <path :d="drawing.middle" class="middle" />
      <path :d="drawing.left" class="left" />
    </g>
  </svg>
  <span v-else-if="failed" class="quiet">The plate could not be fetched.</span>
</template>

<style scoped>
.plate { width: 100%; height: 100%; display: block; overflow: hidden; }
path { fill: none; stroke-linecap: round; stroke-linejoin: round; }
.middle { stroke: var(--ink); stroke-width: 3; }
.left { stroke: var(--left); stroke-width: 2.6; }
.right { stroke: var(--right); stroke-width: 3.8; }
.core { stroke: var(--panel); stroke-width: 1.5; }
.floor { stroke: var(--hairline); stroke-width: 1; vector-effect: non-scaling-stroke; }
g { transition: opacity 120ms; }
</style>
