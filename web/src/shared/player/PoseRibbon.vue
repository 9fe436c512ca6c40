<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import type { Schemas } from '@/api/client'
import { firstFrame, frameNumber, inUnits } from '@/shared/units'

/** The time line: small poses of source (above) and character (below) at regular frames, findings under them. */
export interface RibbonRow {
  /** Flat world positions per shown frame. */
  poses: Float32Array[]
  parents: number[]
  sides: string[]
}
const props = defineProps<{
  frames: number
  fps: number
  frame: number
  rows: RibbonRow[]
  /** How many rows there will be, for which there is room until they come: what stands above them does not move. */
  expected: number
  shown: number[]
  findings?: Schemas['FindingOut'][]
  /** Frames first to last with handles to drag; what lies outside is faint. */
  range?: [number, number]
}>()
const emit = defineEmits<{ frame: [frame: number]; range: [first: number, last: number] }>()
const root = ref<HTMLElement>()
const head = ref<HTMLElement>()
const width = ref(800)
const HEIGHT = 62
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

const x = (frame: number) => (props.frames < 2 ? 0 : (frame / (props.frames - 1)) * (width.value - 48) + 24)
const paths = computed(() =>
  props.rows.map((row, r) => {
    let top = 0.1
    for (const pose of row.poses) for (let n = 1; n < pose.length; n += 3) top = Math.max(top, pose[n])
    const scale = (HEIGHT - 10) / top
    return props.shown.map((frame, k) => {
      const pose = row.poses[k]
      const out = { left: '', right: '', middle: '' }
      if (!pose) return out
      // Seen a little from the side, each pose about its own middle.
      const across = (n: number) => pose[n * 3] * 0.5 + pose[n * 3 + 2] * 0.866
      const middle = across(0)
      const at = (n: number) =>
        `${(x(frame) + (across(n) - middle) * scale).toFixed(1)} ${(HEIGHT * (r + 1) - 4 - pose[n * 3 + 1] * scale).toFixed(1)}`
      row.parents.forEach((parent, n) => {
        if (parent >= 0) out[(row.sides[n] || 'middle') as keyof typeof out] += `M${at(parent)}L${at(n)}`
      })
      return out
    })
  }),
)
const ticks = computed(() => {
  const steps = [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000]
  const step = steps.find((n) => (n / Math.max(1, props.frames - 1)) * width.value > 54) ?? 10000
  const first = step > 1 ? firstFrame.value : 0 // so that round numbers are written, after the first
  return Array.from({ length: Math.floor((props.frames - 1 + first) / step) + 1 }, (_, n) =>
    Math.max(0, n * step - first),
  )
})
function frameAt(event: PointerEvent) {
  const box = root.value!.getBoundingClientRect()
  const share = (event.clientX - box.left - 24) / (box.width - 48)
  return Math.max(0, Math.min(props.frames - 1, Math.round(share * (props.frames - 1))))
}
const held = ref<'first' | 'last' | null>(null)
function scrub(event: PointerEvent) {
  if (!(event.buttons & 1)) return
  const at = frameAt(event)
  if (held.value && props.range) {
    const [first, last] = props.range
    if (held.value === 'first') emit('range', Math.min(at, last - 1), last)
    else emit('range', first, Math.max(at, first + 1))
  } else emit('frame', at)
}
function press(event: PointerEvent) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  held.value = ((event.target as Element).closest('[data-edge]')?.getAttribute('data-edge') as 'first' | 'last') ?? null
  if (!held.value) {
    event.preventDefault() // the press would take the focus away again
    head.value?.focus()
  }
  scrub(event)
}
function edgeKey(which: 'first' | 'last', event: KeyboardEvent) {
  const step = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }[event.key]
  if (!step || !props.range) return
  event.preventDefault()
  event.stopPropagation()
  const [first, last] = props.range
  if (which === 'first') emit('range', Math.max(0, Math.min(first + step, last - 1)), last)
  else emit('range', first, Math.min(props.frames - 1, Math.max(last + step, first + 1)))
}
const bottom = computed(() => HEIGHT * (props.rows.length || props.expected))
</script>

<template>
  <div ref="root" class="ribbon" @pointerdown="press" @pointermove="scrub" @pointerup="held = null">
    <div
      ref="head"
      class="frame"
      role="slider"
      tabindex="0"
      aria-label="Frame"
      :aria-valuemin="0"
      :aria-valuemax="frames - 1"
      :aria-valuenow="frame"
      :aria-valuetext="`frame ${frameNumber(frame)}, ${(frame / fps).toFixed(2)} seconds`"
    ></div>
    <svg :width="width" :height="bottom + 34">
      <g v-for="(row, r) in paths" :key="r">
        <line x1="0" :x2="width" :y1="HEIGHT * (r + 1) - 4" :y2="HEIGHT * (r + 1) - 4" class="floor" />
        <g v-for="(pose, k) in row" :key="k">
          <path :d="pose.right" class="right" />
          <path :d="pose.right" class="core" />
          <path :d="pose.middle" class="middle" />
          <path :d="pose.left" class="left" />
        </g>
      </g>
      <g v-for="(finding, n) in (findings ?? []).filter((row) => row.unit)" :key="`f${n}`">
        <rect
          v-for="[first, last] in finding.spans"
          :key="first"
          :x="x(first)"
          :y="bottom + 2"
          :width="Math.max(3, x(last) - x(first))"
          height="4"
          class="finding"
        >
          <title>{{ inUnits(finding.text) }}</title>
        </rect>
      </g>
      <g v-for="tick in ticks" :key="tick">
        <line :x1="x(tick)" :x2="x(tick)" :y1="bottom + 8" :y2="bottom + 13" class="tick" />
        <text :x="x(tick)" :y="bottom + 26" class="mono">{{ frameNumber(tick) }}</text>
      </g>
      <template v-if="range">
        <rect x="0" y="0" :width="x(range[0])" :height="bottom" class="outside" />
        <rect :x="x(range[1])" y="0" :width="Math.max(0, width - x(range[1]))" :height="bottom" class="outside" />
        <g
          v-for="(at, n) in range"
          :key="n"
          class="edge"
          tabindex="0"
          role="slider"
          :data-edge="n ? 'last' : 'first'"
          :aria-label="n ? 'Last frame of the range' : 'First frame of the range'"
          :aria-valuemin="0"
          :aria-valuemax="frames - 1"
          :aria-valuenow="at"
          @keydown="edgeKey(n ? 'last' : 'first', $event)"
        >
          <rect :x="x(at) - 12" y="0" width="24" :height="bottom" class="grip" />
          <line :x1="x(at)" :x2="x(at)" y1="0" :y2="bottom" />
          <circle :cx="x(at)" :cy="bottom - 6" r="4.5" />
        </g>
      </template>
      <line :x1="x(frame)" :x2="x(frame)" y1="0" :y2="bottom + 13" class="head" />
      <path :d="`M${x(frame) - 5} 0 h10 l-5 7 z`" class="knob" />
    </svg>
  </div>
</template>

<style scoped>
.ribbon {
  position: relative;
  cursor: ew-resize;
  touch-action: none;
  user-select: none;
  overflow: hidden;
  background: var(--panel);
}
.frame {
  position: absolute;
  inset: 0;
  pointer-events: none;
  outline-offset: -2px;
}
svg {
  position: relative;
  display: block;
}
path {
  fill: none;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.middle {
  stroke: var(--ink);
  stroke-width: 1.2;
}
.left {
  stroke: var(--left);
  stroke-width: 1.1;
}
.right {
  stroke: var(--right);
  stroke-width: 1.9;
}
.core {
  stroke: var(--panel);
  stroke-width: 0.7;
}
.floor {
  stroke: var(--hairline);
}
.tick {
  stroke: var(--quiet);
}
text {
  font-size: 11px;
  text-anchor: middle;
  fill: var(--quiet);
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
}
.knob {
  fill: var(--accent);
}
.outside {
  fill: var(--paper);
  opacity: 0.72;
}
.edge {
  cursor: ew-resize;
  outline-offset: -2px;
}
.edge line {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.edge circle {
  fill: var(--panel);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.grip {
  fill: transparent;
}
.finding {
  fill: var(--wrong);
}
</style>
