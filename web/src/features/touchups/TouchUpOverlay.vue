<script setup lang="ts">
import { Plane, Vector3 } from 'three'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'

import TurnRings from '@/features/fitting/TurnRings.vue'
import { lengthText } from '@/shared/units'
import type { Stage } from '@/stage/stage'
import { WORLD_AXES } from './touchups'
import type { TouchUps } from './useTouchUps'

/** Drawn over the stage: rings to turn the chosen bone by, and a handle with three arrows where it can be moved. */
const props = defineProps<{ stage: Stage; touchups: TouchUps; height: number; frame: number }>()
const { bone, chosen, snap, axes, attempt, edit, turn, move, letGo } = props.touchups
const AXES = WORLD_AXES.map(({ name, axis }) => ({ name, axis: new Vector3(...axis) }))
const drawn = ref(0)
let listening = props.stage.afterDrawing(() => (drawn.value += 1))
watch(
  () => props.stage,
  (now) => {
    listening()
    listening = now.afterDrawing(() => (drawn.value += 1))
  },
)
onBeforeUnmount(() => listening())

const at = computed(() => {
  void [drawn.value, props.frame, axes.value]
  return bone.value ? props.touchups.boneAt() : null
})
/** What is drawn of the handle: a ring about the joint, and an arrow along each axis. */
const handle = computed(() => {
  const now = at.value
  if (!now || !bone.value?.moves) return null
  const middle = props.stage.project(now.position)
  const arrows = AXES.map(({ name, axis }, n) => {
    const end = props.stage.project(now.position.clone().addScaledVector(axis, props.height * 0.17))
    return { n, name, axis, x: end.x, y: end.y, d: `M${middle.x} ${middle.y}L${end.x} ${end.y}` }
  })
  // An arrow that points at the eye is no longer than the handle and hides it.
  return { ...middle, arrows: arrows.filter((arrow) => Math.hypot(arrow.x - middle.x, arrow.y - middle.y) > 14) }
})
const held = shallowRef<{ axis: Vector3 | null; from: Vector3; met: Vector3; by: Vector3; name: string } | null>(null)

/** Where a line of sight meets what is drawn along: the plane of the view, or an axis through the joint. */
function meet(event: PointerEvent, from: Vector3, axis: Vector3 | null): Vector3 | null {
  const ray = props.stage.ray(event.clientX, event.clientY)
  const sight = props.stage.camera.getWorldDirection(new Vector3())
  if (!axis) return ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(sight, from), new Vector3())
  // The plane that holds the axis and faces the eye best.
  const normal = sight.clone().projectOnPlane(axis)
  if (normal.length() < 0.05) return null
  const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal.normalize(), from), new Vector3())
  return met && from.clone().addScaledVector(axis, met.sub(from).dot(axis))
}
function press(event: PointerEvent, axis: Vector3 | null, name: string) {
  const from = at.value!.position.clone()
  const met = meet(event, from, axis)
  if (!met) return
  ;(event.target as Element).setPointerCapture(event.pointerId)
  held.value = { axis, from, met, by: new Vector3(), name }
  event.preventDefault()
}
function drag(event: PointerEvent) {
  const now = held.value
  const met = now && meet(event, now.from, now.axis)
  if (!now || !met) return
  const by = met.sub(now.met)
  held.value = { ...now, by }
  void attempt(move(by.toArray()))
}
function release() {
  const now = held.value
  held.value = null
  if (!now) return
  if (now.by.length() > 1e-4) void edit(move(now.by.toArray()))
  else letGo()
}
function cancel(event: KeyboardEvent) {
  if (event.key !== 'Escape' || !held.value) return
  held.value = null
  letGo()
  event.stopPropagation()
}
window.addEventListener('keydown', cancel, true)
onBeforeUnmount(() => window.removeEventListener('keydown', cancel, true))
const far = computed(() => (held.value ? lengthText(held.value.by.length()) : ''))
/** The limb as it was when the keys of the chosen bone were set, where it is elsewhere now. */
const then = computed(() => {
  void drawn.value
  const place = props.stage.placeOf('character')
  return props.touchups.own.value.flatMap(({ touchup }) =>
    touchup.keys
      .filter((key) => key.moved && key.frame !== null && Math.abs(key.frame - props.frame) < 1)
      .map((key) =>
        key.limb_then
          .map(([x, y, z]) => props.stage.project({ x: x + place.x, y, z: z + place.z }))
          .map(({ x, y }, n) => `${n ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`)
          .join(''),
      ),
  )
})
</script>

<template>
  <svg class="over" aria-hidden="true">
    <path v-for="(d, n) in then" :key="n" :d="d" class="then" />
    <TurnRings
      v-if="at && chosen"
      :stage="stage"
      :position="at.position"
      :axes="at.axes"
      :size="height"
      :snap="snap"
      :drawn="drawn"
      @try="(axis, degrees) => void attempt(turn(axis.toArray(), degrees))"
      @keep="(axis, degrees) => void edit(turn(axis.toArray(), degrees))"
      @cancel="letGo"
    />
    <g v-if="handle" class="handle" :class="{ held }">
      <g v-for="arrow in handle.arrows" :key="arrow.n">
        <path :d="arrow.d" :class="`arrow axis-${arrow.n}`" />
        <circle :cx="arrow.x" :cy="arrow.y" r="3.5" class="tip" />
        <circle
          :cx="arrow.x"
          :cy="arrow.y"
          r="12"
          class="grip"
          :data-arrow="arrow.name"
          @pointerdown="press($event, arrow.axis, arrow.name)"
          @pointermove="drag"
          @pointerup="release"
          @pointercancel="release"
        >
          <title>Move {{ arrow.name }}</title>
        </circle>
      </g>
      <circle :cx="handle.x" :cy="handle.y" r="8" class="knob" />
      <circle
        :cx="handle.x"
        :cy="handle.y"
        r="13"
        class="grip"
        data-handle
        @pointerdown="press($event, null, 'freely')"
        @pointermove="drag"
        @pointerup="release"
        @pointercancel="release"
      >
        <title>Draw it to its place</title>
      </circle>
      <text v-if="held" :x="handle.x + 16" :y="handle.y - 12">{{ far }}</text>
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
.then {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 2;
  stroke-dasharray: 2 4;
}
.arrow {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.axis-1 {
  stroke-dasharray: 7 4;
}
.axis-2 {
  stroke-dasharray: 1.5 4.5;
  stroke-linecap: round;
}
.tip {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 1.4;
}
.knob {
  fill: var(--paper);
  fill-opacity: 0.6;
  stroke: var(--accent);
  stroke-width: 2.4;
}
.grip {
  fill: transparent;
  pointer-events: all;
  cursor: grab;
}
.held .knob {
  fill: var(--accent);
  fill-opacity: 1;
}
text {
  font: 12px var(--mono);
  fill: var(--accent);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
</style>
