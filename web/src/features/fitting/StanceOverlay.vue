<script setup lang="ts">
import { Vector3 } from 'three'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'

import type { Stage } from '@/stage/stage'
import { angleAt, arc, axesOf, jointPosition, ring as ringPoints } from './stanceGeometry'
import type { Wanted } from './stances'
import { KEYS, type Stances } from './useStances'
import type { Bones } from '@/stores/cast'
import type { Which } from './weave'

/**
 * Drawn over the stage: a fan with its degrees at every bone that is still off, and rings to turn the chosen bone by.
 */
const props = defineProps<{
  stage: Stage
  stances: Stances
  trees: Record<Which, Bones>
  height: number
  mirror: boolean
  pointed: string | null
}>()
const emit = defineEmits<{ stand: [wanted: Wanted] }>()
const LEAST = 1
const ENDS = [
  (p: { x: number; y: number }) => p.x,
  (p: { x: number; y: number }) => -p.y,
  (p: { x: number; y: number }) => p.y,
]
const { chosen, axes, snap, rows, forward, moved } = props.stances
const drawn = ref(0)
const held = shallowRef<{
  n: number
  axis: Vector3
  position: Vector3
  name: string
  begin: number | null
  turned: number
  degrees: number
  x: number
  y: number
  ways: [number, number]
} | null>(null)
let listening = props.stage.afterDrawing(() => (drawn.value += 1))
watch(
  () => props.stage,
  (now) => {
    listening()
    listening = now.afterDrawing(() => (drawn.value += 1))
  },
)
onBeforeUnmount(() => listening())

const flat = (points: Vector3[]) => points.map((point) => props.stage.project(point))
const path = (points: { x: number; y: number }[]) =>
  points.map(({ x, y }, n) => `${n ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')
const fans = computed(() => {
  void [drawn.value, moved.value]
  if (props.stances.view.value === 'Motion' || !props.stage.figure(KEYS.target)) return []
  const off = rows.value.filter((row) => row.left > LEAST && Math.hypot(...row.way) > 0.5)
  // The worst say their degrees; more numbers than eight hide the body, and those of fingers each other.
  const named = new Set(
    [...off]
      .filter((row) => !row.own && !/(thumb|index|middle|ring|little)$/.test(row.limb))
      .sort((a, b) => b.left - a.left)
      .slice(0, 8)
      .map((row) => row.part),
  )
  return off.map((row) => {
    const position = jointPosition(props.stage, KEYS.target, props.trees.target.names.indexOf(row.bone))
    const edge = arc(position, new Vector3(...row.way), new Vector3(...row.wanted), props.height * 0.09)
    const points = flat([position, ...edge])
    const middle = points[1 + Math.floor(edge.length / 2)] ?? points[0]
    const far = Math.hypot(middle.x - points[0].x, middle.y - points[0].y) || 1
    return {
      part: row.part,
      own: row.own,
      d: `${path(points)}Z`,
      text:
        (named.has(row.part) && row.bone !== chosen.value?.bone) || props.pointed === row.part
          ? `${row.left.toFixed(0)}°`
          : '',
      x: middle.x + ((middle.x - points[0].x) / far) * 11,
      y: middle.y + ((middle.y - points[0].y) / far) * 11 + 4,
    }
  })
})
const rings = computed(() => {
  void [drawn.value, moved.value]
  const at = chosen.value
  if (!at || props.stances.view.value === 'Motion') return []
  const bone = props.stances.boneAt(at.which, at.bone)
  if (!bone) return []
  const tree = props.trees[at.which]
  const parent = tree.parents[tree.names.indexOf(at.bone)]
  const of =
    axes.value === 'parent' && parent >= 0 ? (props.stances.boneAt(at.which, tree.names[parent]) ?? bone) : bone
  const now = held.value
  return axesOf(axes.value, of, forward.value).map((ring, n) => {
    // While a ring is drawn it stays where it was taken hold of.
    const axis = now?.n === n ? now.axis : ring.axis
    const points = flat(ringPoints(bone.position, axis, props.height * (0.085 + 0.012 * n)))
    // Each name at another end of its ring, so that they do not cover each other.
    const far = points.reduce((best, point) => (ENDS[n](point) > ENDS[n](best) ? point : best))
    return {
      n,
      name: ring.name,
      axis,
      position: bone.position,
      d: path(points),
      x: far.x + [6, 0, 0][n],
      y: far.y + [4, -7, 15][n],
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
    position: ring.position,
    name: ring.name,
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
  if (!now || !chosen.value) return
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
  const degrees = snap.value && !event.shiftKey ? Math.round(raw / snap.value) * snap.value : Math.round(raw * 10) / 10
  held.value = { ...now, begin, turned, degrees }
  if (degrees !== now.degrees) void props.stances.attempt(wanted(degrees))
}
function wanted(degrees: number): Wanted {
  return {
    op: 'turn',
    side: chosen.value!.which,
    bone: chosen.value!.bone,
    axis: held.value!.axis.toArray(),
    degrees,
    mirror: props.mirror,
  }
}
function release() {
  const now = held.value
  if (!now) return
  const last = wanted(now.degrees)
  held.value = null
  props.stances.settle()
  if (now.degrees) emit('stand', last)
}
function cancel(event: KeyboardEvent) {
  if (event.key !== 'Escape' || !held.value) return
  const last = wanted(0)
  held.value = null
  props.stances.settle()
  void props.stances.attempt(last).then(props.stances.settle)
  event.stopPropagation()
}
window.addEventListener('keydown', cancel, true)
onBeforeUnmount(() => window.removeEventListener('keydown', cancel, true))
</script>

<template>
  <svg class="over" aria-hidden="true">
    <g v-for="ring in fans" :key="ring.part" :class="{ own: ring.own, pointed: pointed === ring.part }" class="fan">
      <path :d="ring.d" />
      <text v-if="ring.text" :x="ring.x" :y="ring.y" text-anchor="middle">{{ ring.text }}</text>
    </g>
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
  </svg>
</template>

<style scoped>
.over {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  overflow: hidden;
}
text {
  font: 12px var(--mono);
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.fan path {
  fill: var(--accent);
  opacity: 0.32;
}
.fan.own path {
  fill: var(--quiet);
  opacity: 0.25;
}
.fan.pointed path {
  opacity: 0.7;
}
.ring .line {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.6;
  opacity: 0.85;
}
.ring .axis-1 {
  stroke-dasharray: 7 4;
}
.ring .axis-2 {
  stroke-dasharray: 1.5 4.5;
  stroke-linecap: round;
}
.ring.held .line {
  stroke-width: 3;
  opacity: 1;
}
.ring .grip {
  fill: none;
  stroke: transparent;
  stroke-width: 13;
  pointer-events: stroke;
  cursor: grab;
}
.ring .grip:hover + text,
.ring.held text {
  font-weight: 700;
  fill: var(--accent);
}
</style>
