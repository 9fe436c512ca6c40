<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, client, Refused, type Schemas } from '@/api/client'
import { frameNumber, quantity } from '@/shared/units'
import { useLatest } from '@/shared/useLatest'
import { useMessages } from '@/stores/messages'
import { axisNames, unitOf, type TouchUp } from './touchups'
import type { TouchUps } from './useTouchUps'

/** The offset of a touch-up over the clip, an axis by its stroke, with its keys as rings that are drawn up and down. */
const props = defineProps<{ touchups: TouchUps; touchup: TouchUp; number: number; frames: number; frame: number }>()
const HEIGHT = 84
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))
const curve = shallowRef<Schemas['CurveOut'] | null>(null)
const latest = useLatest()
watch(
  () => [props.touchup, props.touchups.layer.value] as const,
  () => {
    const { params } = props.touchups.path()
    const query = { layer: props.touchups.layer.value?.name ?? '', touchup: props.number }
    void latest(
      () => answer(client.GET('/api/fittings/{fitting_id}/touchups/{clip_id}/curve', { params: { ...params, query } })),
      (found) => (curve.value = found),
    ).catch((problem) => {
      // What cannot be placed is said beside the layer; a touch-up may also have been taken back meanwhile.
      if (problem instanceof Refused) curve.value = null
      else void useMessages().fail(problem)
    })
  },
  { immediate: true },
)
const about = computed(() => unitOf(props.touchup.channel))
const names = computed(() => axisNames(props.touchup))
const held = ref<{ key: number; axis: number; from: number; value: number; span: [number, number] } | null>(null)
const valueAt = (key: number, axis: number) =>
  held.value?.key === key && held.value.axis === axis
    ? held.value.value
    : props.touchup.keys[key].value[axis] * about.value.scale
const span = computed((): [number, number] => {
  if (held.value) return held.value.span
  let [low, high] = [0, 0]
  for (const row of curve.value?.values ?? [])
    for (const value of row) [low, high] = [Math.min(low, value), Math.max(high, value)]
  for (const key of props.touchup.keys)
    for (const value of key.value)
      [low, high] = [Math.min(low, value * about.value.scale), Math.max(high, value * about.value.scale)]
  const room = Math.max(0.15 * (high - low), props.touchup.channel === 'rotation' ? 2 : 0.5)
  return [low - room, high + room]
})
const x = (frame: number) => (props.frames < 2 ? 24 : (frame / (props.frames - 1)) * (width.value - 48) + 24)
const y = (value: number) => HEIGHT - ((value - span.value[0]) / (span.value[1] - span.value[0])) * HEIGHT
const paths = computed(() =>
  [0, 1, 2].map((axis) =>
    (curve.value?.values ?? [])
      .map((row, n) => `${n ? 'L' : 'M'}${x(curve.value!.frames[n]).toFixed(1)} ${y(row[axis]).toFixed(1)}`)
      .join(''),
  ),
)
const rings = computed(() =>
  props.touchup.keys.flatMap((key, n) =>
    key.frame === null
      ? []
      : [0, 1, 2].map((axis) => ({ n, axis, x: x(key.frame!), y: y(valueAt(n, axis)), frame: key.frame! })),
  ),
)
function press(event: PointerEvent, key: number, axis: number) {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  held.value = { key, axis, from: event.clientY, value: valueAt(key, axis), span: span.value }
  event.preventDefault()
  event.stopPropagation()
}
function drag(event: PointerEvent) {
  const now = held.value
  if (!now) return
  const value = now.value - ((event.clientY - now.from) / HEIGHT) * (span.value[1] - span.value[0])
  held.value = { ...now, value, from: event.clientY }
  void props.touchups.attempt(wanted(now.key, now.axis, value))
}
function wanted(key: number, axis: number, shown: number) {
  const { touchup } = props
  const value = [...touchup.keys[key].value] as [number, number, number]
  value[axis] = shown / about.value.scale
  const frame = Math.round(touchup.keys[key].frame ?? 0)
  return { op: 'key' as const, bone: touchup.bone, channel: touchup.channel, against: touchup.against, frame, value }
}
function release() {
  const now = held.value
  held.value = null
  if (now) void props.touchups.edit(wanted(now.key, now.axis, now.value))
}
function onKey(event: KeyboardEvent, key: number, axis: number) {
  const step = { ArrowUp: 1, ArrowDown: -1 }[event.key]
  if (!step) return
  const by = (props.touchup.channel === 'rotation' ? 1 : 0.5) * (event.shiftKey ? 10 : 1)
  void props.touchups.edit(wanted(key, axis, valueAt(key, axis) + step * by))
  event.preventDefault()
  event.stopPropagation()
}
const written = (value: number) => quantity(value, about.value.unit)
</script>

<template>
  <div ref="root" class="graph">
    <svg :width="width" :height="HEIGHT" role="group" :aria-label="`Offset of the ${touchup.label}`">
      <line x1="24" :x2="width - 24" :y1="y(0)" :y2="y(0)" class="zero" />
      <path v-for="(d, axis) in paths" :key="axis" :d="d" :class="`axis-${axis}`" />
      <line :x1="x(frame)" :x2="x(frame)" y1="0" :y2="HEIGHT" class="head" />
      <g
        v-for="ring in rings"
        :key="`${ring.n} ${ring.axis}`"
        class="ring"
        tabindex="0"
        role="slider"
        :aria-label="`${names[ring.axis]} at frame ${frameNumber(Math.round(ring.frame))}`"
        :aria-valuenow="+valueAt(ring.n, ring.axis).toFixed(2)"
        :aria-valuetext="written(valueAt(ring.n, ring.axis))"
        :data-ring-of="`${ring.n}.${ring.axis}`"
        @pointerdown="press($event, ring.n, ring.axis)"
        @pointermove="drag"
        @pointerup="release"
        @pointercancel="release"
        @keydown="onKey($event, ring.n, ring.axis)"
      >
        <circle :cx="ring.x" :cy="ring.y" r="12" class="target" />
        <circle :cx="ring.x" :cy="ring.y" r="4" class="drawn" />
        <title>{{ names[ring.axis] }} {{ written(valueAt(ring.n, ring.axis)) }}</title>
      </g>
      <text v-for="(name, axis) in names" :key="name" x="26" :y="14 + 13 * axis">
        <tspan :class="`word-${axis}`">{{ ['──', '╌╌', '····'][axis] }}</tspan>
        {{ name }}
      </text>
      <text :x="width - 26" y="14" text-anchor="end">{{ written(span[1]) }}</text>
      <text :x="width - 26" :y="HEIGHT - 5" text-anchor="end">{{ written(span[0]) }}</text>
    </svg>
  </div>
</template>

<style scoped>
.graph {
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  touch-action: none;
  user-select: none;
}
svg {
  display: block;
}
path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.axis-1 {
  stroke-dasharray: 7 4;
}
.axis-2 {
  stroke-dasharray: 1.5 4;
  stroke-linecap: round;
}
.zero {
  stroke: var(--hairline);
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
  pointer-events: none;
}
.ring {
  cursor: ns-resize;
  outline: none;
}
.target {
  fill: transparent;
}
.drawn {
  fill: var(--panel);
  stroke: var(--accent);
  stroke-width: 1.6;
}
.ring:focus-visible .drawn,
.ring:hover .drawn {
  fill: var(--accent);
}
text {
  font: 11px var(--mono);
  fill: var(--quiet);
  pointer-events: none;
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
</style>
