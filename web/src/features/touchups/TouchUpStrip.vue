<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import { frameNumber, inUnits } from '@/shared/units'
import { bracketOf, frameOf, keyName, keyPaths, WEIGHT, weightKeys, type KeyPath } from './touchups'
import { useRubberBand } from './useRubberBand'
import type { TouchUps } from './useTouchUps'

/** The touch-ups of a layer on the time scale of the ribbon: a bracket each, its eases and keys; and its weight. */
const props = defineProps<{ frames: number; frame: number; fps: number; touchups: TouchUps }>()
const emit = defineEmits<{ frame: [frame: number] }>()
const { layer, keys, chosen, choose, chooseAll, edit, ofKeys } = props.touchups
const LANE = 26
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))
const x = (frame: number) => (props.frames < 2 ? 24 : (frame / (props.frames - 1)) * (width.value - 48) + 24)

/** What is being drawn: keys by so many frames, or an end of a bracket. */
const held = ref<{
  what: 'keys' | 'first' | 'last'
  touchup: number
  from: number
  by: number
  paths: KeyPath[]
} | null>(null)
/** How many frames further on a key is drawn. */
const drawnBy = (path: KeyPath) =>
  held.value?.what === 'keys' && held.value.paths.some((other) => keyName(other) === keyName(path)) ? held.value.by : 0
const shownAt = (path: KeyPath, frame: number | null) =>
  frame === null ? null : Math.max(0, Math.min(props.frames - 1, frame + drawnBy(path)))
const isChosen = (path: KeyPath) => keys.value.some((other) => keyName(other) === keyName(path))
const lanes = computed(() =>
  (layer.value?.touchups ?? []).map((touchup, n) => {
    const shape = bracketOf(touchup)
    const now = held.value?.touchup === n ? held.value : null
    const list = touchup.keys.map((key, k) => ({
      path: [n, k] as KeyPath,
      key,
      frame: shownAt([n, k], key.frame),
    }))
    const at = list.map((row) => row.frame).filter((frame): frame is number => frame !== null)
    const rise = shape && Math.min(...at)
    const fall = shape && Math.max(...at)
    const first =
      shape && Math.max(0, Math.min(rise!, shape.first + (now?.what === 'first' ? now.by : rise! - shape.rise)))
    const last =
      shape &&
      Math.min(props.frames - 1, Math.max(fall!, shape.last + (now?.what === 'last' ? now.by : fall! - shape.fall)))
    return { n, touchup, list, bracket: shape && { first: first!, rise: rise!, fall: fall!, last: last! } }
  }),
)
/** The weight under them, where it changes: its keys, and the line that goes from one to the next. */
const weights = computed(() => {
  const top = Math.max(1, ...weightKeys(layer.value).map((key) => key.value))
  const floor = lanes.value.length * LANE + LANE - 5
  return weightKeys(layer.value)
    .map(({ frame, value }, k) => ({
      path: [WEIGHT, k] as KeyPath,
      value,
      at: frame,
      frame: shownAt([WEIGHT, k], frame),
      y: floor - (value / top) * (LANE - 11),
    }))
    .filter((row): row is typeof row & { frame: number; at: number } => row.frame !== null)
})
const weightLine = computed(() => {
  const rows = weights.value.toSorted((a, b) => a.frame - b.frame)
  if (!rows.length) return ''
  return `M0 ${rows[0].y}${rows.map((row) => `L${x(row.frame)} ${row.y}`).join('')}L${width.value} ${rows.at(-1)!.y}`
})
const height = computed(() => Math.max(2, lanes.value.length + (weights.value.length ? 1 : 0)) * LANE)
const changeWeight = (key: { at: number; value: number }, by: number) =>
  edit({
    op: 'weight',
    frame: Math.round(key.at),
    weight: Math.max(0, Math.min(2, Math.round((key.value + by) * 100) / 100)),
  })
/** A lane's name stands at its beginning, or behind a bracket that is there. */
const nameAt = (bracket: { first: number; last: number } | null) =>
  bracket && x(bracket.first) < 100 ? Math.min(x(bracket.last) + 10, width.value - 90) : 4
const path = (n: number, { first, rise, fall, last }: { first: number; rise: number; fall: number; last: number }) => {
  const [low, high] = [n * LANE + LANE - 5, n * LANE + 7]
  return `M${x(first)} ${low}C${(x(first) + x(rise)) / 2} ${low} ${(x(first) + x(rise)) / 2} ${high} ${x(rise)} ${high}L${x(fall)} ${high}C${(x(fall) + x(last)) / 2} ${high} ${(x(fall) + x(last)) / 2} ${low} ${x(last)} ${low}`
}
function frameAt(event: PointerEvent) {
  const box = root.value!.getBoundingClientRect()
  return ((event.clientX - box.left - 24) / (box.width - 48)) * (props.frames - 1)
}
function press(event: PointerEvent, what: 'keys' | 'first' | 'last', touchup: number, key?: KeyPath) {
  if (event.button) return
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  if (key && (event.shiftKey || !isChosen(key))) choose(key, event.shiftKey)
  const whole = keyPaths(layer.value).filter(([n]) => n === touchup)
  if (!key && what === 'keys') chosen.value = layer.value!.touchups[touchup].bone
  held.value = { what, touchup, from: frameAt(event), by: 0, paths: key ? keys.value : whole }
  event.preventDefault()
  event.stopPropagation()
}
function drag(event: PointerEvent) {
  if (held.value) held.value = { ...held.value, by: Math.round(frameAt(event) - held.value.from) }
}
function release() {
  const now = held.value
  held.value = null
  if (!now) return
  if (!now.by) {
    if (now.paths.length === 1) goTo(now.paths[0])
    return
  }
  if (now.what === 'keys') return void ofKeys({ op: 'shift', frames: now.by }, now.paths)
  const { touchup, bracket } = lanes.value[now.touchup]
  const shape = bracketOf(touchup)
  if (!bracket || !shape) return
  const end = now.what
  // Where a recipe changes the pace, seconds of the take are not those of the clip.
  const length = (of: typeof bracket) => (end === 'first' ? of.rise - of.first : of.last - of.fall)
  const [was, ease] = [length(shape), end === 'first' ? touchup.ease_in : touchup.ease_out]
  const wanted = Math.max(0, was + (end === 'first' ? -now.by : now.by))
  const seconds = ease && was ? (ease * wanted) / was : wanted / props.fps
  void edit({
    op: 'ease',
    touchup: now.touchup,
    ease_in: end === 'first' ? seconds : touchup.ease_in,
    ease_out: end === 'last' ? seconds : touchup.ease_out,
  })
}
function goTo(path: KeyPath) {
  const at = frameOf(layer.value, path)
  if (at !== null && at !== undefined) emit('frame', Math.round(at))
}
const svg = ref<SVGSVGElement>()
/** A box around keys chooses them; a click beside them goes to its frame. */
const band = useRubberBand(svg, {
  click(event) {
    keys.value = []
    emit('frame', Math.max(0, Math.min(props.frames - 1, Math.round(frameAt(event)))))
  },
  choose({ left, right, top, bottom }, more) {
    const within = (frame: number | null, y: number) =>
      frame !== null && x(frame) >= left && x(frame) <= right && y >= top && y <= bottom
    const found = lanes.value.flatMap(({ n, list }) => list.filter((row) => within(row.frame, n * LANE + 7)))
    chooseAll(
      [...found, ...weights.value.filter((row) => within(row.frame, row.y))].map((row) => row.path),
      more,
    )
  },
})
const { box } = band
function onKey(event: KeyboardEvent, key: KeyPath) {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  const list = isChosen(key) ? keys.value : [key]
  const rise = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key]
  const weight = weights.value.find((row) => keyName(row.path) === keyName(key))
  if (weight && rise) void changeWeight(weight, event.shiftKey ? 5 * rise : rise)
  else if (event.key === 'a' && (event.ctrlKey || event.metaKey)) chooseAll(keyPaths(layer.value))
  else if (event.key === 'Delete' || event.key === 'Backspace') void ofKeys({ op: 'delete' }, list)
  else if (event.key === 'Enter' || event.key === ' ') {
    choose(key, event.shiftKey)
    goTo(key)
  } else if (step) void ofKeys({ op: 'shift', frames: step * (event.shiftKey ? 10 : 1) }, list)
  else return
  event.preventDefault()
  event.stopPropagation()
}
const words = (label: string, key: { frame: number | null; time: number }) =>
  key.frame === null
    ? `${label}: a key at ${key.time.toFixed(2)} s, which the clip does not show`
    : `${label}: key at frame ${frameNumber(Math.round(key.frame))}`
const away = computed(() =>
  (layer.value?.touchups ?? []).flatMap(({ label, keys: list }) =>
    list.filter((key) => key.frame === null).map((key) => words(label, key)),
  ),
)
</script>

<template>
  <div
    ref="root"
    class="strip"
    role="group"
    :aria-label="`Keys of ${layer?.name ?? 'a layer'}`"
    @pointerdown="band.start"
    @pointermove="(drag($event), band.move($event))"
    @pointerup="(release(), band.release($event))"
    @pointercancel="(release(), band.cancel())"
  >
    <svg ref="svg" :width="width" :height="height">
      <g v-for="lane in lanes" :key="lane.n" :class="{ chosen: lane.touchup.bone === chosen, off: !layer?.on }">
        <line x1="0" :x2="width" :y1="lane.n * LANE" :y2="lane.n * LANE" class="rule" />
        <template v-if="lane.bracket">
          <path
            :d="path(lane.n, lane.bracket)"
            class="grip"
            @pointerdown="press($event, 'keys', lane.n)"
            @pointermove="drag"
            @pointerup="release"
          >
            <title>
              {{ lane.touchup.label }}, frames {{ frameNumber(Math.round(lane.bracket.first)) }} to
              {{ Math.round(lane.bracket.last) }}
            </title>
          </path>
          <path :d="path(lane.n, lane.bracket)" class="bracket" />
          <rect
            v-for="end in ['first', 'last'] as const"
            :key="end"
            :x="x(lane.bracket[end]) - 7"
            :y="lane.n * LANE + LANE - 15"
            width="14"
            height="15"
            class="end"
            :data-ease="end"
            @pointerdown="press($event, end, lane.n)"
            @pointermove="drag"
            @pointerup="release"
          >
            <title>{{ end === 'first' ? 'Where it begins to come' : 'Where it is gone' }}</title>
          </rect>
        </template>
        <template v-for="row in lane.list" :key="keyName(row.path)">
          <g
            v-if="row.frame !== null"
            class="key"
            :class="{ chosen: isChosen(row.path), moved: row.key.moved }"
            tabindex="0"
            role="button"
            :aria-pressed="isChosen(row.path)"
            :aria-label="`${words(lane.touchup.label, row.key)}. Arrows move it, Delete removes it.`"
            :data-key="keyName(row.path)"
            @pointerdown="press($event, 'keys', lane.n, row.path)"
            @pointermove="drag"
            @pointerup="release"
            @keydown="onKey($event, row.path)"
          >
            <rect :x="x(row.frame) - 12" :y="lane.n * LANE" width="24" :height="LANE" class="target" />
            <circle :cx="x(row.frame)" :cy="lane.n * LANE + 7" r="4.5" />
            <text v-if="row.key.moved" :x="x(row.frame) + 8" :y="lane.n * LANE + 12" class="look">look</text>
          </g>
        </template>
        <text :x="nameAt(lane.bracket)" :y="lane.n * LANE + 18" class="name">{{ lane.touchup.label }}</text>
      </g>
      <g v-if="weights.length" :class="{ off: !layer?.on }">
        <line x1="0" :x2="width" :y1="lanes.length * LANE" :y2="lanes.length * LANE" class="rule" />
        <path :d="weightLine" class="bracket" />
        <g
          v-for="row in weights"
          :key="keyName(row.path)"
          class="key"
          :class="{ chosen: isChosen(row.path) }"
          tabindex="0"
          role="button"
          :aria-pressed="isChosen(row.path)"
          :aria-label="`Weight of ${layer?.name}: ${Math.round(row.value * 100)} % at frame ${frameNumber(Math.round(row.at))}. Arrows move and change it, Delete removes it.`"
          :data-key="keyName(row.path)"
          @pointerdown="press($event, 'keys', WEIGHT, row.path)"
          @pointermove="drag"
          @pointerup="release"
          @keydown="onKey($event, row.path)"
        >
          <title>{{ Math.round(row.value * 100) }} %</title>
          <rect :x="x(row.frame) - 12" :y="lanes.length * LANE" width="24" :height="LANE" class="target" />
          <rect :x="x(row.frame) - 4" :y="row.y - 4" width="8" height="8" class="weight" />
        </g>
        <text :x="4" :y="lanes.length * LANE + 18" class="name">weight</text>
      </g>
      <rect
        v-if="box"
        :x="box.left"
        :y="box.top"
        :width="box.right - box.left"
        :height="box.bottom - box.top"
        class="band"
      />
      <text v-if="!lanes.length && !weights.length" x="24" y="17" class="name">
        No key yet: choose a bone and turn or draw it, at any frame.
      </text>
      <line :x1="x(frame)" :x2="x(frame)" y1="0" :y2="height" class="head" />
    </svg>
    <p v-for="text in away" :key="text" class="quiet away">{{ inUnits(text) }}.</p>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  background: var(--panel);
  border-top: 1px solid var(--hairline);
  touch-action: none;
  user-select: none;
  max-height: 132px;
  overflow: hidden auto;
}
svg {
  display: block;
}
.rule {
  stroke: var(--hairline);
}
.bracket,
.grip {
  fill: none;
}
.bracket {
  stroke: var(--quiet);
  stroke-width: 1.5;
  pointer-events: none;
}
.chosen > .bracket {
  stroke: var(--accent);
}
.off {
  opacity: 0.45;
}
.grip {
  stroke: transparent;
  stroke-width: 12;
  pointer-events: stroke;
  cursor: ew-resize;
}
.end {
  fill: transparent;
  cursor: ew-resize;
}
.target {
  fill: transparent;
}
.key {
  cursor: ew-resize;
  outline: none;
}
.key circle,
.weight {
  fill: var(--panel);
  stroke: var(--ink);
  stroke-width: 1.6;
}
.key.chosen circle,
.key.chosen .weight {
  fill: var(--accent);
  stroke: var(--accent);
}
.key:focus-visible .target {
  stroke: var(--accent);
  stroke-width: 1.5;
}
.band {
  fill: var(--accent);
  fill-opacity: 0.12;
  stroke: var(--accent);
  pointer-events: none;
}
.look {
  fill: var(--accent);
  font-weight: 700;
}
text {
  font-size: 11px;
  fill: var(--quiet);
  pointer-events: none;
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
  pointer-events: none;
}
.away {
  font-size: 12px;
  margin: 0;
  padding: 2px 24px;
}
</style>
