<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { frameNumber } from '@/shared/units'
import type { Plate } from '@/stores/library'
import PlateDrawing from './PlateDrawing.vue'
import { MARGIN } from './plates'

/** A plate of a whole take with two handles on it. Handles stand where their frame stands among the poses. */
const props = defineProps<{
  plate: Plate | null
  name: string
  frames: number
  fps: number
  first: number
  last: number
  /** Tells the studio; done when it has answered. */
  tell: (first: number, last: number) => Promise<unknown>
}>()
const box = ref<HTMLElement>()
const LABELS = 15 // pixels under the drawing for frames and seconds
const held = ref<'first' | 'last' | null>(null)
/** The range as it is being set, until the studio has it too. */
const own = ref<[number, number] | null>(null)
let telling: ReturnType<typeof setTimeout> | undefined
/** How many of the ranges that the studio was told have not been answered. */
let unanswered = 0

const first = computed(() => own.value?.[0] ?? props.first)
const last = computed(() => own.value?.[1] ?? props.last)
/** What the studio has is shown once nothing else is on its way: an answer to an earlier range would take this back. */
function settle() {
  if (!held.value && !telling && !unanswered) own.value = null
}
watch(() => [props.first, props.last], settle)
function set(which: 'first' | 'last', frame: number) {
  const f = Math.round(frame)
  own.value =
    which === 'first'
      ? [Math.max(0, Math.min(f, last.value - 1)), last.value]
      : [first.value, Math.min(props.frames - 1, Math.max(f, first.value + 1))]
}
async function tellNow() {
  clearTimeout(telling)
  telling = undefined
  if (!own.value) return
  const isTold = own.value[0] === props.first && own.value[1] === props.last
  if (isTold && !unanswered) return settle()
  unanswered += 1
  await props.tell(...own.value).finally(() => (unanswered -= 1))
  settle()
}
const size = ref({ width: 300, height: 100 })
useResizeObserver(
  box,
  ([
    {
      contentRect: { width, height },
    },
  ]) => (size.value = { width, height }),
)
onBeforeUnmount(() => {
  if (telling) void tellNow()
})
/** Where the drawing lies in the box, in pixels: it keeps its proportions and stands in the middle. */
const drawn = computed(() => {
  const p = props.plate
  if (!p) return { left: 0, width: size.value.width }
  const scale = Math.min(size.value.width / (p.width + 2 * MARGIN), (size.value.height - LABELS) / (p.height + 95))
  return { left: (size.value.width - p.width * scale) / 2, width: p.width * scale }
})
/** Share of the drawing's width at which each pose stands, with the take's ends at its edges. */
const stops = computed(() => {
  const p = props.plate
  if (!p) return { frames: [0, Math.max(1, props.frames - 1)], at: [0, 1] }
  const middle = p.poses.map((values) => {
    let low = Infinity
    let high = -Infinity
    for (let n = 0; n < values.length; n += 2) {
      low = Math.min(low, values[n])
      high = Math.max(high, values[n])
    }
    return (low + high) / 2
  })
  const frames = [...p.frames]
  const at = middle.map((x) => x / Math.max(1, p.width))
  if (frames[0] > 0) {
    frames.unshift(0)
    at.unshift(0)
  } else at[0] = 0
  if (frames[frames.length - 1] < props.frames - 1) {
    frames.push(props.frames - 1)
    at.push(1)
  } else at[at.length - 1] = 1
  for (let n = 1; n < at.length; n++) at[n] = Math.max(at[n], at[n - 1] + 1e-4)
  return { frames, at }
})
function between(value: number, from: number[], to: number[]) {
  let n = 1
  while (n < from.length - 1 && from[n] < value) n++
  const span = from[n] - from[n - 1] || 1
  return to[n - 1] + Math.max(0, Math.min(1, (value - from[n - 1]) / span)) * (to[n] - to[n - 1])
}
const place = (frame: number) =>
  drawn.value.left + between(frame, stops.value.frames, stops.value.at) * drawn.value.width

function press(which: 'first' | 'last', event: PointerEvent) {
  ;(event.target as HTMLElement).setPointerCapture(event.pointerId)
  held.value = which
}
function move(event: PointerEvent) {
  if (!held.value || !box.value) return
  const edge = box.value.getBoundingClientRect()
  const share = Math.max(
    0,
    Math.min(1, (event.clientX - edge.left - drawn.value.left) / Math.max(1, drawn.value.width)),
  )
  set(held.value, between(share, stops.value.at, stops.value.frames))
}
function release() {
  if (!held.value) return
  held.value = null
  void tellNow()
}
function key(which: 'first' | 'last', event: KeyboardEvent) {
  const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }
  const step = steps[event.key]
  if (!step) return
  event.preventDefault()
  event.stopPropagation()
  set(which, (which === 'first' ? first.value : last.value) + step)
  // Said once the keys come to rest.
  clearTimeout(telling)
  telling = setTimeout(tellNow, 200)
}
const frameLabel = (frame: number) => `${frameNumber(frame)} · ${(frame / props.fps).toFixed(2)} s`
</script>

<template>
  <div ref="box" class="range" @pointermove="move" @pointerup="release" @pointercancel="release">
    <div class="drawing"><PlateDrawing :plate="plate" :name="name" :range="[first, last]" /></div>
    <div class="out" :style="{ left: '0', width: `${place(first)}px` }" />
    <div class="out" :style="{ left: `${place(last)}px`, right: '0' }" />
    <button
      v-for="which in ['first', 'last'] as const"
      :key="which"
      class="handle"
      :class="[which, { inside: which === 'first' ? place(first) < 84 : place(last) > size.width - 84 }]"
      role="slider"
      :aria-label="`${which === 'first' ? 'First' : 'Last'} frame of ${name}`"
      :aria-valuemin="0"
      :aria-valuemax="frames - 1"
      :aria-valuenow="which === 'first' ? first : last"
      :aria-valuetext="frameLabel(which === 'first' ? first : last)"
      :style="{ left: `${place(which === 'first' ? first : last)}px` }"
      @pointerdown.prevent.stop="press(which, $event)"
      @keydown="key(which, $event)"
      @click.stop
    >
      <span class="mono">{{ frameLabel(which === 'first' ? first : last) }}</span>
    </button>
  </div>
</template>

<style scoped>
.range {
  position: relative;
  width: 100%;
  height: 100%;
  touch-action: none;
}
.drawing {
  height: calc(100% - 15px);
}
.out {
  position: absolute;
  top: 0;
  bottom: 14px;
  background: color-mix(in srgb, var(--paper) 55%, transparent);
  pointer-events: none;
}
.handle {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 24px;
  margin-left: -12px;
  background: none;
  border: 0;
  padding: 0;
  cursor: ew-resize;
}
.handle::before {
  content: '';
  position: absolute;
  left: 11px;
  top: 0;
  bottom: 14px;
  width: 2px;
  background: var(--accent);
}
.handle::after {
  content: '';
  position: absolute;
  left: 8px;
  top: 0;
  width: 8px;
  height: 8px;
  border: 2px solid var(--accent);
  border-radius: 50%;
  background: var(--panel);
}
.handle span {
  position: absolute;
  bottom: -2px;
  white-space: nowrap;
  font-size: 11px;
  color: var(--quiet);
  background: var(--panel);
  padding: 0 3px;
}
.first span {
  right: 13px;
}
.last span {
  left: 13px;
}
.first.inside span {
  right: auto;
  left: 13px;
}
.last.inside span {
  left: auto;
  right: 13px;
}
.handle:hover span,
.handle:focus-visible span {
  color: var(--ink);
}
</style>
