<script setup lang="ts">
import type { Vector3 } from 'three'
import { computed, onBeforeUnmount, shallowRef } from 'vue'

import type { Stage } from '@/stage/stage'
import { angleAt, ring as ringPoints, type NamedAxis } from './stanceGeometry'

/**
 * Rings about a place on the stage, to turn what is there by; drawn in an overlay. size: of the body, in metres.
 * drawn: counts up with every drawing of the stage.
 */
const props = defineProps<{
  stage: Stage
  position: Vector3
  axes: NamedAxis[]
  size: number
  snap: number
  drawn: number
}>()
const emit = defineEmits<{
  try: [axis: Vector3, degrees: number]
  keep: [axis: Vector3, degrees: number]
  cancel: []
}>()
const ENDS = [
  (p: { x: number; y: number }) => p.x,
  (p: { x: number; y: number }) => -p.y,
  (p: { x: number; y: number }) => p.y,
]
const held = shallowRef<{
  n: number
  axis: Vector3
  position: Vector3
  begin: number | null
  turned: number
  degrees: number
  x: number
  y: number
  ways: [number, number]
} | null>(null)

const flat = (points: Vector3[]) => points.map((point) => props.stage.project(point))
const path = (points: { x: number; y: number }[]) =>
  points.map(({ x, y }, n) => `${n ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
const rings = computed(() => {
  void props.drawn
  const now = held.value
  return props.axes.map((own, n) => {
    // While a ring is drawn it stays where it was taken hold of.
    const axis = now?.n === n ? now.axis : own.axis
    const points = flat(ringPoints(props.position, axis, props.size * (0.085 + 0.012 * n)))
    // Each name at another end of its ring, so that they do not cover each other.
    const far = points.reduce((best, point) => (ENDS[n](point) > ENDS[n](best) ? point : best))
    return {
      n,
      name: own.name,
      axis,
      position: props.position,
      d: path(points),
      x: far.x + [8, 0, 0][n],
      y: far.y + [-6, -7, 15][n],
      anchor: n ? 'middle' : 'start',
    }
  })
})

function press(event: PointerEvent, ring: (typeof rings.value)[number]) {
  ;(event.target as Element).setPointerCapture(event.pointerId)
  const begin = angleAt(ring.position, ring.axis, props.stage.ray(event.clientX, event.clientY))
  const [a, b] = flat([ring.position, ring.position.clone().addScaledVector(ring.axis, 0.1)])
  // Seen from its edge, a ring is turned along the line it is seen as.
  const long = Math.hypot(b.x - a.x, b.y - a.y) || 1
  held.value = {
    n: ring.n,
    axis: ring.axis,
    position: ring.position.clone(),
    begin,
    turned: 0,
    degrees: 0,
    x: event.clientX,
    y: event.clientY,
    ways: [-(b.y - a.y) / long, (b.x - a.x) / long],
  }
  event.preventDefault()
}
function drag(event: PointerEvent) {
  const now = held.value
  if (!now) return
  const angle =
    now.begin === null ? null : angleAt(now.position, now.axis, props.stage.ray(event.clientX, event.clientY))
  let turned = now.turned
  let begin = now.begin
  if (angle !== null && begin !== null) {
    const step = angle - begin
    turned += ((((step + Math.PI) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI)) - Math.PI
    begin = angle
  } else if (now.begin === null)
    turned = ((event.clientX - now.x) * now.ways[0] + (event.clientY - now.y) * now.ways[1]) / 60
  const raw = (turned * 180) / Math.PI
  const { snap } = props
  const degrees = snap && !event.shiftKey ? Math.round(raw / snap) * snap : Math.round(raw * 10) / 10
  held.value = { ...now, begin, turned, degrees }
  if (degrees !== now.degrees) emit('try', now.axis, degrees)
}
function release() {
  const now = held.value
  if (!now) return
  held.value = null
  if (now.degrees) emit('keep', now.axis, now.degrees)
  else emit('cancel')
}
function cancel(event: KeyboardEvent) {
  if (event.key !== 'Escape' || !held.value) return
  held.value = null
  emit('cancel')
  event.stopPropagation()
}
window.addEventListener('keydown', cancel, true)
onBeforeUnmount(() => window.removeEventListener('keydown', cancel, true))
</script>

<template>
  <g v-for="ring in rings" :key="ring.n" class="ring" :class="{ held: held?.n === ring.n }">
    <path :d="ring.d" :class="`line axis-${ring.n}`" />
    <path
      :d="ring.d"
      class="grip"
      :data-ring="ring.name"
      @pointerdown="press($event, ring)"
      @pointermove="drag"
      @pointerup="release"
      @pointercancel="release"
    />
    <text :x="ring.x" :y="ring.y" :text-anchor="ring.anchor">
      {{ held?.n === ring.n ? `${ring.name} ${held.degrees.toFixed(snap ? 0 : 1)}°` : ring.name }}
    </text>
  </g>
</template>

<style scoped>
text {
  font: 12px var(--mono);
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.line {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.6;
  opacity: 0.85;
}
.axis-1 {
  stroke-dasharray: 7 4;
}
.axis-2 {
  stroke-dasharray: 1.5 4.5;
  stroke-linecap: round;
}
.held .line {
  stroke-width: 3;
  opacity: 1;
}
.grip {
  fill: none;
  stroke: transparent;
  stroke-width: 13;
  pointer-events: stroke;
  cursor: grab;
}
.grip:hover + text,
.held text {
  font-weight: 700;
  fill: var(--accent);
}
</style>
