<script setup lang="ts">
import { Vector3 } from 'three'
import { computed } from 'vue'

import { carried, shifted, turnedOn, type Move } from './moves'
import type { Piece } from './rigs'

/** The box about a piece of the mesh in one of the views; of the piece in hand it is drawn to move it, and its knob to
 * turn it. */
const props = defineProps<{
  piece: Piece
  /** How the piece stands in the mesh that is shown; null for one that is only pointed at. */
  kept: Move | null
  /** How it would stand. */
  move: Move | null
  /** The direction from which it is seen. */
  towards: Vector3
  project: (at: number[]) => { x: number; y: number }
  moved: (at: Vector3, x: number, y: number) => Vector3
}>()
const emit = defineEmits<{ try: [move: Move]; keep: [move: Move]; take: [] }>()
const EDGES = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((corner) =>
  [1, 2, 4].filter((bit) => !(corner & bit)).map((bit) => [corner, corner | bit]),
)
const REACH = 46 // pixels from the pivot to the knob

const corners = computed(() => {
  const { middle, size } = props.piece
  return [0, 1, 2, 3, 4, 5, 6, 7].map((n) => {
    const at = middle.map((value, axis) => value + ((n >> axis) & 1 ? 0.5 : -0.5) * size[axis])
    const { kept, move } = props
    return props.project(kept && move ? carried(kept, move, new Vector3().fromArray(at)).toArray() : at)
  })
})
const edges = computed(() =>
  EDGES.map(([a, b]) => [corners.value[a], corners.value[b]])
    .map(([a, b]) => `M${a.x.toFixed(1)} ${a.y.toFixed(1)}L${b.x.toFixed(1)} ${b.y.toFixed(1)}`)
    .join(''),
)
const bounds = computed(() => {
  const [xs, ys] = [corners.value.map(({ x }) => x), corners.value.map(({ y }) => y)]
  const [left, top] = [Math.min(...xs), Math.min(...ys)]
  return { x: left, y: top, width: Math.max(...xs) - left, height: Math.max(...ys) - top }
})
const pivot = computed(() => {
  if (!props.move) return null
  const { pivot, offset } = props.move
  return props.project(pivot.map((value, axis) => value + offset[axis]))
})
/** The knob lies beyond the pivot, as the piece does. */
const knob = computed(() => {
  if (!pivot.value) return null
  const { x, y, width, height } = bounds.value
  const [dx, dy] = [x + width / 2 - pivot.value.x, y + height / 2 - pivot.value.y]
  const far = Math.hypot(dx, dy)
  const [ux, uy] = far > 1 ? [dx / far, dy / far] : [0, 1]
  const reach = Math.max(REACH, far + 26)
  return { x: pivot.value.x + ux * reach, y: pivot.value.y + uy * reach }
})

function draw(event: PointerEvent, change: (begun: Move, next: PointerEvent) => Move) {
  if (event.button !== 0 || !props.move) return
  event.stopPropagation()
  emit('take')
  const begun = props.move
  const target = event.currentTarget as SVGElement
  target.setPointerCapture(event.pointerId)
  let last = begun
  const move = (next: Event) => emit('try', (last = change(begun, next as PointerEvent)))
  const stop = () => {
    target.removeEventListener('pointermove', move)
    if (last !== begun) emit('keep', last)
  }
  target.addEventListener('pointermove', move)
  target.addEventListener('lostpointercapture', stop, { once: true })
}
function drawBox(event: PointerEvent) {
  const [x, y] = [event.clientX, event.clientY]
  draw(event, (begun, next) => {
    const from = new Vector3().fromArray(begun.offset)
    return shifted(begun, props.moved(from.clone(), next.clientX - x, next.clientY - y).sub(from))
  })
}
function drawKnob(event: PointerEvent) {
  const place = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect()
  const centre = { ...pivot.value! }
  const angle = ({ clientX, clientY }: PointerEvent) =>
    Math.atan2(place.top + centre.y - clientY, clientX - place.left - centre.x)
  const first = angle(event)
  draw(event, (begun, next) => turnedOn(begun, props.towards, ((angle(next) - first) * 180) / Math.PI))
}
</script>

<template>
  <g class="piece">
    <rect v-if="!move" class="outline" v-bind="bounds" />
    <template v-else>
      <path class="outline" :d="edges" />
      <rect class="hold" v-bind="bounds" data-hold="box" @pointerdown="drawBox"><title>Draw it elsewhere</title></rect>
      <template v-if="pivot && knob">
        <line class="outline" :x1="pivot.x" :y1="pivot.y" :x2="knob.x" :y2="knob.y" />
        <path class="pivot" :d="`M${pivot.x - 4} ${pivot.y}h8m-4-4v8`" />
        <circle class="knob" :cx="knob.x" :cy="knob.y" r="6" data-hold="knob" @pointerdown="drawKnob">
          <title>Turn it about where it meets the rest</title>
        </circle>
      </template>
    </template>
  </g>
</template>

<style scoped>
.outline {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.4;
  stroke-dasharray: 5 4;
  pointer-events: none;
}
.hold {
  fill: transparent;
  cursor: move;
}
.pivot {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.6;
  pointer-events: none;
}
.knob {
  fill: var(--panel);
  stroke: var(--accent);
  stroke-width: 1.8;
  cursor: grab;
}
</style>
