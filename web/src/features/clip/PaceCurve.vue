<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import { frameNumber } from '@/shared/units'
import { shownAt } from './curves'

/** The curve of a pace on the ribbon's time scale: keys are drawn, typed by arrows, added by a double click. */
const props = defineProps<{ keys: number[][]; percent: number; takeFrames: Float32Array; frame: number }>()
const emit = defineEmits<{ try: [keys: number[][]]; keep: [keys: number[][]] }>()
const LEAST = 25
const MOST = 400
const HEIGHT = 64
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

/** While a key is drawn the time scale stays as it was begun on. */
const scale = ref(props.takeFrames)
const drawn = ref<number[][] | null>(null)
watch(
  () => props.takeFrames,
  (now) => {
    if (!drawn.value) scale.value = now
  },
)
const shown = computed(() => drawn.value ?? props.keys)
const frames = computed(() => scale.value.length)
const x = (frame: number) => (frames.value < 2 ? 24 : (frame / (frames.value - 1)) * (width.value - 48) + 24)
const y = (percent: number) => HEIGHT - 8 - (Math.log(percent / LEAST) / Math.log(MOST / LEAST)) * (HEIGHT - 16)
const percentAt = (top: number) => {
  const share = (HEIGHT - 8 - top) / (HEIGHT - 16)
  return Math.round(Math.min(MOST, Math.max(LEAST, LEAST * (MOST / LEAST) ** share)))
}
const takeAt = (left: number) => {
  const share = Math.max(0, Math.min(1, (left - 24) / (width.value - 48)))
  return Math.round(scale.value[Math.round(share * (frames.value - 1))] ?? 0)
}
const dots = computed(() => shown.value.map(([at, percent]) => ({ x: x(shownAt(scale.value, at)), y: y(percent) })))
/** What passes of the take in each frame is the pace there. */
const line = computed(() => {
  if (!shown.value.length) return `M24 ${y(props.percent)}H${width.value - 24}`
  if (drawn.value) return dots.value.map((dot, n) => `${n ? 'L' : 'M'}${dot.x} ${dot.y}`).join('')
  let out = ''
  for (let n = 0; n + 1 < frames.value; n++) {
    const pace = Math.abs(scale.value[n + 1] - scale.value[n]) * 100
    if (pace > 1)
      out += `${out ? 'L' : 'M'}${x(n + 0.5).toFixed(1)} ${y(Math.min(MOST, Math.max(LEAST, pace))).toFixed(1)}`
  }
  return out
})
const inOrder = (keys: number[][]) => {
  const by = new Map(keys.map(([at, percent]) => [at, percent]))
  return [...by].sort(([a], [b]) => a - b)
}
function place(event: MouseEvent) {
  const box = root.value!.getBoundingClientRect()
  return [takeAt(event.clientX - box.left), percentAt(event.clientY - box.top)]
}
function add(event: MouseEvent) {
  emit('keep', inOrder([...props.keys, place(event)]))
}
function draw(n: number, event: PointerEvent) {
  const handle = event.currentTarget as SVGElement
  handle.setPointerCapture(event.pointerId)
  const move = (next: PointerEvent) => {
    drawn.value = props.keys.map((key, k) => (k === n ? place(next) : key))
    emit('try', inOrder(drawn.value))
  }
  handle.addEventListener('pointermove', move)
  handle.addEventListener(
    'lostpointercapture',
    () => {
      handle.removeEventListener('pointermove', move)
      if (drawn.value) emit('keep', inOrder(drawn.value))
      drawn.value = null
      scale.value = props.takeFrames
    },
    { once: true },
  )
}
function key(n: number, event: KeyboardEvent) {
  const [at, percent] = props.keys[n]
  const ten = event.shiftKey ? 10 : 1
  const made: Record<string, number[] | null> = {
    ArrowLeft: [Math.max(0, at - ten), percent],
    ArrowRight: [at + ten, percent],
    ArrowUp: [at, Math.min(MOST, percent + 5 * ten)],
    ArrowDown: [at, Math.max(LEAST, percent - 5 * ten)],
    Delete: null,
    Backspace: null,
  }
  if (!(event.key in made)) return
  event.preventDefault()
  event.stopPropagation()
  const now = made[event.key]
  emit('keep', inOrder(props.keys.flatMap((own, k) => (k === n ? (now ? [now] : []) : [own]))))
}
</script>

<template>
  <div ref="root" class="curve" title="Double click for a key" @dblclick.self="add">
    <svg :width="width" :height="HEIGHT" role="group" aria-label="Curve of the pace" @dblclick="add">
      <line v-for="mark in [50, 100, 200]" :key="mark" x1="24" :x2="width - 24" :y1="y(mark)" :y2="y(mark)" />
      <text v-for="mark in [50, 100, 200]" :key="`t${mark}`" x="2" :y="y(mark) + 4">{{ mark }}</text>
      <path :d="line" />
      <g
        v-for="(dot, n) in dots"
        :key="n"
        tabindex="0"
        role="slider"
        :aria-label="`Key of the pace at frame ${frameNumber(keys[n]?.[0] ?? 0)} of the take`"
        :aria-valuemin="LEAST"
        :aria-valuemax="MOST"
        :aria-valuenow="shown[n][1]"
        @pointerdown.prevent="draw(n, $event)"
        @keydown="key(n, $event)"
        @dblclick.stop
      >
        <title>{{ `${shown[n][1]} % at frame ${frameNumber(shown[n][0])}; arrows move it, Del removes it` }}</title>
        <circle :cx="dot.x" :cy="dot.y" r="12" class="grip" />
        <circle :cx="dot.x" :cy="dot.y" r="5" class="dot" />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.curve {
  background: var(--panel);
  border-top: 1px solid var(--hairline);
  touch-action: none;
}
svg {
  display: block;
}
line {
  stroke: var(--hairline);
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
g {
  cursor: grab;
  outline-offset: -2px;
}
.grip {
  fill: transparent;
}
.dot {
  fill: var(--panel);
  stroke: var(--accent);
  stroke-width: 2;
}
text {
  font-size: 10.5px;
  fill: var(--quiet);
  font-family: var(--mono);
}
</style>
