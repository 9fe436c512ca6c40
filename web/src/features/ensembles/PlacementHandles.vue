<script setup lang="ts">
import { Plane, Vector3 } from 'three'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'

import { lengthText } from '@/shared/units'
import type { Stage } from '@/stage/stage'
import type { Standing } from './useEnsembleStage'

/**
 * Drawn over the stage: a ring about the feet of everybody, by which they are moved over the floor, and of who is
 * chosen a knob before them, by which they are turned. The figure goes along; what becomes of the others is worked out
 * when it is let go of.
 */
const props = defineProps<{
  stage: Stage
  performers: string[]
  chosen: string
  standing: (name: string) => Standing | null
  disabled: boolean
}>()
const emit = defineEmits<{
  choose: [name: string]
  placed: [name: string, by: [x: number, z: number], degrees: number]
  /** Held or let go of: the camera stays where it is meanwhile. */
  held: [held: boolean]
}>()
const RING = 0.24 // of the height, its radius
const STEPS = 40
const floor = new Plane(new Vector3(0, 1, 0), 0)
const drawn = ref(0)
let listening = props.stage.afterDrawing(() => (drawn.value += 1))
watch(
  () => props.stage,
  (now) => {
    listening()
    listening = now.afterDrawing(() => (drawn.value += 1))
  },
)
interface Held {
  name: string
  begun: Standing
  met: Vector3
  turning: boolean
  by: [x: number, z: number]
  degrees: number
}
const held = shallowRef<Held | null>(null)

const onScreen = (x: number, z: number) => props.stage.project({ x, y: 0, z })
const handles = computed(() => {
  void drawn.value
  return props.performers.flatMap((name) => {
    const at = props.standing(name)
    if (!at) return []
    const radius = at.height * RING
    const points = Array.from({ length: STEPS }, (_, n) => {
      const angle = (n / STEPS) * 2 * Math.PI
      return onScreen(at.x + radius * Math.sin(angle), at.z + radius * Math.cos(angle))
    })
    const before = 1.7 * radius
    const knob = onScreen(at.x + before * Math.sin(at.heading), at.z + before * Math.cos(at.heading))
    const rim = onScreen(at.x + radius * Math.sin(at.heading), at.z + radius * Math.cos(at.heading))
    return [
      {
        name,
        d: `${points.map(({ x, y }, n) => `${n ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`).join('')}Z`,
        stem: `M${rim.x} ${rim.y}L${knob.x} ${knob.y}`,
        knob,
        middle: onScreen(at.x, at.z),
        chosen: name === props.chosen,
        held: held.value?.name === name,
      },
    ]
  })
})
const meet = (event: PointerEvent) => props.stage.ray(event.clientX, event.clientY).intersectPlane(floor, new Vector3())
function press(event: PointerEvent, name: string, turning: boolean) {
  if (event.button !== 0) return
  emit('choose', name)
  const [begun, met] = [props.standing(name), meet(event)]
  if (props.disabled || !begun || !met) return
  ;(event.target as Element).setPointerCapture(event.pointerId)
  held.value = { name, begun, met, turning, by: [0, 0], degrees: 0 }
  emit('held', true)
  event.preventDefault()
}
const wrapped = (degrees: number) => ((((degrees + 180) % 360) + 360) % 360) - 180
function drag(event: PointerEvent) {
  const now = held.value
  const met = now && meet(event)
  if (!now || !met) return
  const { begun } = now
  if (now.turning) {
    const angle = (at: Vector3) => (Math.atan2(at.x - begun.x, at.z - begun.z) * 180) / Math.PI
    const by = wrapped(angle(met) - angle(now.met))
    held.value = { ...now, degrees: event.shiftKey ? Math.round(by / 15) * 15 : by }
  } else held.value = { ...now, by: [met.x - now.met.x, met.z - now.met.z] }
  follow(held.value)
}
/** The figure as it is held: turned about where it stands, and moved. */
function follow({ name, begun, by, degrees }: Held) {
  const turn = (degrees * Math.PI) / 180
  const [x, z] = [
    begun.x * Math.cos(turn) + begun.z * Math.sin(turn),
    -begun.x * Math.sin(turn) + begun.z * Math.cos(turn),
  ]
  props.stage.place(name, begun.x + by[0] - x, begun.z + by[1] - z, turn)
}
function release() {
  const now = held.value
  held.value = null
  if (!now) return
  emit('held', false)
  if (Math.hypot(...now.by) > 0.002 || Math.abs(now.degrees) > 0.2) emit('placed', now.name, now.by, now.degrees)
  else props.stage.place(now.name, 0, 0, 0)
}
function cancel(event: KeyboardEvent) {
  if (event.key !== 'Escape' || !held.value) return
  props.stage.place(held.value.name, 0, 0, 0)
  held.value = null
  emit('held', false)
  event.stopPropagation()
}
window.addEventListener('keydown', cancel, true)
onBeforeUnmount(() => {
  listening()
  window.removeEventListener('keydown', cancel, true)
})
const told = computed(() => {
  const now = held.value
  return now ? (now.turning ? `${now.degrees.toFixed(0)}°` : lengthText(Math.hypot(...now.by))) : ''
})
</script>

<template>
  <svg class="over" aria-hidden="true">
    <g v-for="each in handles" :key="each.name" :class="{ chosen: each.chosen, held: each.held }">
      <path :d="each.d" class="ring" />
      <path
        :d="each.d"
        class="grip"
        :data-performer="each.name"
        @pointerdown="press($event, each.name, false)"
        @pointermove="drag"
        @pointerup="release"
        @pointercancel="release"
      >
        <title>Move {{ each.name }} over the floor</title>
      </path>
      <template v-if="each.chosen">
        <path :d="each.stem" class="ring" />
        <circle :cx="each.knob.x" :cy="each.knob.y" r="6" class="knob" />
        <circle
          :cx="each.knob.x"
          :cy="each.knob.y"
          r="13"
          class="grip"
          :data-turn="each.name"
          @pointerdown="press($event, each.name, true)"
          @pointermove="drag"
          @pointerup="release"
          @pointercancel="release"
        >
          <title>Turn {{ each.name }}</title>
        </circle>
      </template>
      <text :x="each.middle.x" :y="each.middle.y + 4" text-anchor="middle">{{ each.held ? told : '' }}</text>
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
.ring {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.3;
  stroke-dasharray: 4 3;
}
.chosen .ring {
  stroke: var(--accent);
  stroke-width: 2;
  stroke-dasharray: none;
}
.knob {
  fill: var(--paper);
  stroke: var(--accent);
  stroke-width: 2.2;
}
.held .knob {
  fill: var(--accent);
}
.grip {
  fill: transparent;
  stroke: transparent;
  stroke-width: 18;
  pointer-events: all;
  cursor: grab;
}
text {
  font: 12px var(--mono);
  fill: var(--accent);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
</style>
