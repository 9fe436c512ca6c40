<script setup lang="ts">
import { Vector3, type Object3D } from 'three'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'

import type { OrthographicView } from '@/stage'
import HandFloor from './HandFloor.vue'
import { shifted, type Move, type PieceShown } from './moves'
import PieceBox from './PieceBox.vue'
import {
  handOf,
  isDoubtful,
  linesOf,
  sideOf,
  type Definition,
  type Focus,
  type RigRow,
  type Section,
  type Triple,
} from './rigs'

/** The body or a hand from one side, with its landmarks or its bones over it. */
const props = defineProps<{
  side: 'front' | 'side'
  mesh: Object3D | null
  row: RigRow
  definition: Definition
  selected: string | null
  section: Section | null
  show: 'landmarks' | 'bones' | 'nothing'
  piece: PieceShown | null
  focus: Focus
}>()
const emit = defineEmits<{
  select: [name: string]
  try: [name: string, at: Triple]
  keep: []
  letGo: []
  tryMove: [move: Move]
  keepMove: [move: Move]
}>()
const STEP = 0.002 // metres of an arrow key
const HAND_DEPTH = 0.06 // of the height, before and behind a hand
const canvas = ref<HTMLCanvasElement>()
const pane = ref<HTMLElement>()
/** Counts whenever what is seen lies elsewhere. */
const moved = ref(0)
/** Whether there is somewhere for the drawing over the mesh to lie. */
const ready = ref(false)
let view: OrthographicView | undefined
let drawn: Object3D | undefined

/** The hand that is looked at, as it was when that began: landmarks that are drawn do not turn it. */
const handNow = () => (props.focus === 'body' ? null : handOf(props.definition, props.focus))
const hand = shallowRef(handNow())
watch(
  () => [props.focus, ...Object.keys(props.definition.landmarks)].join(),
  () => (hand.value = handNow()),
)
const label = computed(() => {
  if (props.focus === 'body') return props.side === 'front' ? 'From the front' : 'From its left'
  return props.side === 'front' ? `The ${props.focus} hand, palm up` : `The ${props.focus} hand, from its thumb`
})
const towards = computed(() => {
  if (hand.value) return props.side === 'front' ? hand.value.palm : hand.value.across
  return new Vector3().fromArray(props.side === 'front' ? props.definition.ahead : props.definition.side)
})
const upwards = computed(() => hand.value?.along ?? new Vector3(0, 1, 0))
const high = () => props.row.facts.high as Triple
const low = () => props.row.facts.low as Triple

onMounted(async () => {
  const stage = await import('@/stage')
  if (!canvas.value) return
  view = new stage.OrthographicView(canvas.value, () => moved.value++)
  face()
  whole()
  draw()
  ready.value = true
})
onBeforeUnmount(() => view?.dispose())
function face() {
  if (!view) return
  view.lookFrom(towards.value, upwards.value)
  // Of the rest of the body, which may lie before the hand, only what is about it is seen.
  view.depth = hand.value ? HAND_DEPTH * (high()[1] - low()[1]) : null
}
function draw() {
  if (!view) return
  if (drawn) view.remove(drawn)
  // Geometry and materials are shared by both panes; only the place in a scene is a pane's own.
  drawn = props.mesh?.clone()
  if (drawn) view.add(drawn)
}
watch(() => props.mesh, draw)
watch(() => [...towards.value, ...upwards.value].join(), face)
watch(hand, whole, { flush: 'post' })
watch(() => [props.row.facts.high, props.row.facts.low].join(), whole)

function whole() {
  if (hand.value) return wholeHand(hand.value)
  const [a, b] = [new Vector3().fromArray(low()), new Vector3().fromArray(high())]
  const size = b.clone().sub(a)
  // As broad as landmarks reach to both sides from here, whichever way the body faces.
  const right = new Vector3(0, 1, 0).cross(towards.value).normalize()
  const places = Object.values(props.definition.landmarks).map(({ at }) => new Vector3().fromArray(at).dot(right))
  const [least, most] = [Math.min(...places), Math.max(...places)]
  const centre = a.clone().add(b).multiplyScalar(0.5)
  centre.addScaledVector(right, (least + most) / 2 - centre.dot(right))
  view?.frame(centre, size.y, (most - least) * 1.15)
}
/** A hand in the middle, with as much about it. */
function wholeHand({ names, along }: ReturnType<typeof handOf>) {
  const places = names.map((name) => new Vector3().fromArray(props.definition.landmarks[name].at))
  const centre = new Vector3()
  places.forEach((place) => centre.addScaledVector(place, 1 / places.length))
  const heights = places.map((place) => place.dot(along))
  const tall = (Math.max(...heights) - Math.min(...heights)) * 1.5
  view?.frame(centre, tall, tall)
}
function closer() {
  const at = props.selected && props.definition.landmarks[props.selected]
  if (!at) return whole()
  const tall = (hand.value ? 0.05 : 0.22) * (high()[1] - low()[1])
  view?.frame(new Vector3().fromArray(at.at), tall, tall)
}
const takeFocus = () => pane.value?.focus()
defineExpose({ whole, closer, focus: takeFocus })

const project = (at: number[]) => (void moved.value, view!.project(new Vector3().fromArray(at)))
/** What is nearer from this side, and what is in hand, lies over the others. */
const order = (name: string) => (name === props.selected ? 3 : ['right', '', 'left'].indexOf(sideOf(name)))
const landmarks = computed(() =>
  Object.entries(props.definition.landmarks)
    .filter(([name]) => !hand.value || hand.value.names.includes(name))
    .map(([name, { at }]) => ({
      name,
      side: sideOf(name),
      doubtful: isDoubtful(props.definition, name),
      ...project(at),
    }))
    .sort((a, b) => order(a.name) - order(b.name)),
)
const line = (points: number[][]) =>
  points.map((at) => project(at)).map(({ x, y }) => `${x.toFixed(1)},${y.toFixed(1)}`)
const lines = computed(() =>
  linesOf(props.definition)
    .filter(({ names }) => !hand.value || names.every((name) => hand.value!.names.includes(name)))
    .map(({ names, side }) => ({
      side,
      points: line(names.map((name) => props.definition.landmarks[name].at)).join(' '),
    })),
)
const bones = computed(() => {
  const { names, parents, ends, places } = props.row.skeleton
  return [...parents, ...ends].flatMap((parent, point) =>
    parent < 0
      ? []
      : [{ side: sideOf(names[point] ?? names[parent]), points: line([places[parent], places[point]]).join(' ') }],
  )
})
const joints = computed(() =>
  props.row.skeleton.names.map((name, joint) => ({
    name,
    side: sideOf(name),
    ...project(props.row.skeleton.places[joint]),
  })),
)
const cut = computed(() => {
  if (!props.section) return ''
  const { segments, own } = props.section
  return segments
    .filter((_, n) => own[n])
    .map((ends) => `M${line(ends).join('L')}`)
    .join('')
})
/** Centimetres on the floor of a hand, from its wrist on. */
const ruling = computed(() => {
  if (!hand.value || !view) return null
  const size = 0.01 * (void moved.value, view.scale)
  return { size, ...project(props.row.definition.landmarks[`${props.focus} wrist`].at) }
})
/** Draw a landmark; how deep it lies in this view stays. */
function take(event: PointerEvent, name: string) {
  if (event.button !== 0 || !view) return
  event.stopPropagation()
  takeFocus()
  emit('select', name)
  // The whole drawing holds the pointer: marks change their order as they are taken.
  const target = (event.currentTarget as SVGElement).ownerSVGElement!
  target.setPointerCapture(event.pointerId)
  const begun = new Vector3().fromArray(props.definition.landmarks[name].at)
  const [x, y] = [event.clientX, event.clientY]
  let drawing = false
  const move = (next: Event) => {
    const { clientX, clientY } = next as PointerEvent
    drawing ||= Math.hypot(clientX - x, clientY - y) > 2
    if (drawing) emit('try', name, view!.moved(begun, clientX - x, clientY - y).toArray() as Triple)
  }
  const stop = () => {
    target.removeEventListener('pointermove', move)
    if (drawing) emit('keep')
  }
  target.addEventListener('pointermove', move)
  target.addEventListener('lostpointercapture', stop, { once: true })
}
function pan(event: PointerEvent) {
  const target = event.currentTarget as Element
  target.setPointerCapture(event.pointerId)
  const move = (next: Event) => view?.pan((next as PointerEvent).movementX, (next as PointerEvent).movementY)
  target.addEventListener('pointermove', move)
  target.addEventListener('lostpointercapture', () => target.removeEventListener('pointermove', move), { once: true })
}
function zoom(event: WheelEvent) {
  const place = pane.value!.getBoundingClientRect()
  view?.zoom(Math.exp(Math.sign(event.deltaY) * 0.15), event.clientX - place.left, event.clientY - place.top)
}
let settling: ReturnType<typeof setTimeout> | undefined
function key(event: KeyboardEvent) {
  const [right, up] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key] ?? []
  if (event.key === 'Escape') {
    clearTimeout(settling)
    return emit('letGo')
  }
  if (right === undefined || !view || props.show === 'bones') return
  const by = STEP * (event.shiftKey ? 10 : 1) * view.scale
  const to = (at: number[]) => view!.moved(new Vector3().fromArray(at), right * by, -up * by)
  if (props.show === 'landmarks') {
    if (!props.selected) return
    emit('try', props.selected, to(props.definition.landmarks[props.selected].at).toArray() as Triple)
    keepSoon(() => emit('keep'))
  } else {
    const move = props.piece?.move
    if (!move) return
    const wanted = shifted(move, to(move.offset).sub(new Vector3().fromArray(move.offset)))
    emit('tryMove', wanted)
    keepSoon(() => emit('keepMove', wanted))
  }
  event.preventDefault()
  event.stopPropagation()
}
/** Keys in a row are one change. */
function keepSoon(keep: () => void) {
  clearTimeout(settling)
  settling = setTimeout(keep, 500)
}
onBeforeUnmount(() => clearTimeout(settling))
</script>

<template>
  <div
    ref="pane"
    class="pane-view"
    role="group"
    tabindex="0"
    :aria-label="`${label}: arrow keys move what is in hand, by a centimetre's fifth or with Shift by two`"
    @keydown="key"
    @wheel.prevent="zoom"
    @contextmenu.prevent
  >
    <canvas ref="canvas" tabindex="-1" aria-hidden="true"></canvas>
    <svg v-if="ready" class="over" @pointerdown="pan">
      <HandFloor v-if="ruling" :id="`ruling-${side}`" v-bind="ruling" />
      <PieceBox
        v-if="piece"
        v-bind="piece"
        :towards="towards"
        :project="project"
        :moved="(at, x, y) => view!.moved(at, x, y)"
        @take="takeFocus"
        @try="emit('tryMove', $event)"
        @keep="emit('keepMove', $event)"
      />
      <path v-if="cut" class="cut" :d="cut" />
      <template v-if="show === 'landmarks'">
        <polyline v-for="(each, n) in lines" :key="n" :class="['bone', each.side]" :points="each.points" />
        <g
          v-for="mark in landmarks"
          :key="mark.name"
          :class="['mark', mark.side, { doubtful: mark.doubtful, chosen: mark.name === selected }]"
          :transform="`translate(${mark.x.toFixed(1)} ${mark.y.toFixed(1)})`"
          :data-landmark="mark.name"
          @pointerdown="take($event, mark.name)"
        >
          <title>
            {{ mark.name }}: {{ props.row.meanings[mark.name]
            }}{{ mark.doubtful ? ' (the shape shows it poorly)' : '' }}
          </title>
          <circle class="target" r="12" />
          <circle class="ring" r="5.5" />
          <circle v-if="mark.side === 'right'" class="ring" r="3" />
          <path v-if="mark.doubtful" class="doubt" d="M-9 0Q0-9 9 0Q0 9-9 0Z" />
        </g>
      </template>
      <template v-else-if="show === 'bones'">
        <polyline v-for="(each, n) in bones" :key="n" :class="['bone', each.side]" :points="each.points" />
        <circle
          v-for="joint in joints"
          :key="joint.name"
          :class="['joint', joint.side]"
          :cx="joint.x.toFixed(1)"
          :cy="joint.y.toFixed(1)"
          r="3.5"
        >
          <title>{{ joint.name }}</title>
        </circle>
      </template>
    </svg>
    <span class="label quiet">{{ label }}</span>
  </div>
</template>

<style scoped>
.pane-view {
  position: relative;
  overflow: hidden;
  min-width: 0;
  border-left: 1px solid var(--hairline);
  touch-action: none;
}
canvas,
.over {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.label {
  position: absolute;
  left: 12px;
  top: 8px;
  font-size: 14px;
  pointer-events: none;
}
.over {
  filter: drop-shadow(0 0 1px var(--panel)) drop-shadow(0 0 1px var(--panel));
}
.bone {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
  pointer-events: none;
}
.left {
  --own: rgb(var(--v-theme-left));
}
.right {
  --own: rgb(var(--v-theme-right));
}
.bone.left,
.bone.right {
  stroke: var(--own);
}
.bone.right {
  stroke-width: 3;
  stroke-opacity: 0.45;
}
.mark {
  cursor: grab;
}
.target {
  fill: transparent;
}
.ring,
.joint {
  fill: var(--panel);
  stroke: var(--own, var(--ink));
  stroke-width: 1.6;
}
.chosen .ring {
  fill: var(--accent);
  stroke: var(--accent);
}
.chosen .target {
  stroke: var(--accent);
  stroke-width: 1.2;
}
.doubt {
  fill: none;
  stroke: var(--own, var(--ink));
  stroke-width: 1.2;
}
.cut {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.6;
  pointer-events: none;
}
</style>
