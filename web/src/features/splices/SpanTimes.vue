<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import ClipPlate from '@/features/library/ClipPlate.vue'
import { frameRange } from '@/shared/units'
import { useLibrary } from '@/stores/library'
import { joinMoved, lanesOf, rangeOf, spanDrawn, spanSlid, timeOf, type Made, type Part, type Splice } from './splices'

/** The spans of a splice as plates on its time, over each other where both are seen; drawn at their ends, slid, and
 * their joins moved, by hand or by arrow keys. */
const props = defineProps<{
  splice: Splice
  made: Made
  parts: Part[]
  frame: number
  chosen: number
}>()
const emit = defineEmits<{
  try: [splice: Splice]
  keep: [splice: Splice]
  frame: [frame: number]
  choose: [join: number]
  move: [span: number, by: -1 | 1]
  remove: [span: number]
}>()
const library = useLibrary()
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))
const SIDE = 24
const scale = computed(() => (width.value - 2 * SIDE) / Math.max(1, props.made.frames - 1))
const x = (frame: number) => SIDE + frame * scale.value

const blocks = computed(() =>
  props.splice.spans.map((span, at) => {
    const own = props.made.passages.filter((passage) => passage.span === at)
    const [begin, end] = [own[0]?.begin ?? 0, own.at(-1)?.end ?? 0]
    const part = props.parts.find((row) => row.key === span.clip)
    const [first, last] = rangeOf(props.splice, at, props.parts, props.made.fps)
    return { at, span, begin, end, part, clip: part && library.clip(part.id), first, last }
  }),
)
const lanes = computed(() => lanesOf(blocks.value))
/** Pixels from one lane to the next. */
const lane = computed(() => 120 / Math.max(2, ...lanes.value.map((at) => at + 1)))
const joins = computed(() =>
  props.made.joins.map((join, n) => {
    const first = Math.min(join.first, join.last)
    return { n, join, first, wide: Math.max(join.last - join.first + 1, 0), middle: join.middle }
  }),
)
const fps = computed(() => props.made.fps)
/** What is drawn at, and what the splice was when the hand took it. */
const held = ref<{ from: number; splice: Splice; change: (by: number, splice: Splice) => Splice } | null>(null)
let latest: Splice | null = null

function take(event: PointerEvent, change: (by: number, splice: Splice) => Splice) {
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  held.value = { from: event.clientX, splice: props.splice, change }
  latest = null
}
function draw(event: PointerEvent) {
  if (!held.value) return
  const by = Math.round((event.clientX - held.value.from) / scale.value)
  const made = held.value.change(by, held.value.splice)
  if (JSON.stringify(made) === JSON.stringify(latest ?? held.value.splice)) return
  latest = made
  emit('try', made)
}
function release() {
  if (!held.value) return
  held.value = null
  if (latest) emit('keep', latest)
  latest = null
}
let settling: ReturnType<typeof setTimeout> | undefined
/** Arrow keys in a row are one change. */
function nudge(event: KeyboardEvent, change: (by: number, splice: Splice) => Splice) {
  const direction = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (!direction || event.altKey) return
  event.preventDefault()
  event.stopPropagation()
  const made = change(direction * (event.shiftKey ? 10 : 1), props.splice)
  emit('try', made)
  clearTimeout(settling)
  settling = setTimeout(() => emit('keep', made), 400)
}
const drawn = (at: number, which: 'start' | 'end') => (by: number, splice: Splice) => {
  const [first, last] = rangeOf(splice, at, props.parts, fps.value)
  return spanDrawn(splice, at, which, (which === 'start' ? first : last) + by, props.parts, fps.value)
}
const slid = (at: number) => (by: number, splice: Splice) => spanSlid(splice, at, by, props.parts, fps.value)
const moved = (join: number) => (by: number, splice: Splice) => joinMoved(splice, join, by, props.parts, fps.value)
function blockKey(event: KeyboardEvent, at: number) {
  if (event.altKey && (event.key === 'ArrowLeft' || event.key === 'ArrowRight')) {
    event.preventDefault()
    event.stopPropagation()
    return emit('move', at, event.key === 'ArrowLeft' ? -1 : 1)
  }
  if (event.key === 'Delete' || event.key === 'Backspace') {
    event.preventDefault()
    return emit('remove', at)
  }
  nudge(event, slid(at))
}
function scrub(event: PointerEvent) {
  const edge = root.value!.getBoundingClientRect()
  const to = (at: PointerEvent) =>
    emit(
      'frame',
      Math.max(0, Math.min(props.made.frames - 1, Math.round((at.clientX - edge.left - SIDE) / scale.value))),
    )
  to(event)
  const rule = event.currentTarget as HTMLElement
  rule.setPointerCapture(event.pointerId)
  rule.addEventListener('pointermove', to)
  rule.addEventListener('lostpointercapture', () => rule.removeEventListener('pointermove', to), { once: true })
}
const ticks = computed(() => {
  const seconds = (props.made.frames - 1) / fps.value
  const step = [0.5, 1, 2, 5, 10, 30, 60].find((each) => (seconds / each) * 60 < width.value) ?? 120
  return Array.from({ length: Math.floor(seconds / step) + 1 }, (_, n) => n * step)
})
</script>

<template>
  <div
    ref="root"
    class="times"
    role="group"
    aria-label="Spans of the splice"
    @pointermove="draw"
    @pointerup="release"
    @pointercancel="release"
  >
    <div class="rule" @pointerdown.prevent="scrub">
      <span v-for="second in ticks" :key="second" class="mono tick" :style="{ left: `${x(second * fps)}px` }"
        >{{ second }} s</span
      >
    </div>
    <div
      v-for="block in blocks"
      :key="block.at"
      class="span"
      :style="{
        left: `${x(block.begin)}px`,
        width: `${Math.max(30, x(block.end) - x(block.begin))}px`,
        top: `${28 + lanes[block.at] * lane}px`,
        height: `${lane - 2}px`,
      }"
      tabindex="0"
      role="group"
      :aria-label="`Span ${block.at + 1}, ${block.part?.name}, frames ${frameRange(block.first, block.last)}`"
      :title="`${block.part?.name}, frames ${frameRange(block.first, block.last)}: draw to slide it; Alt with arrows puts it earlier or later, Delete takes it out`"
      @pointerdown.prevent="(($event.currentTarget as HTMLElement).focus(), take($event, slid(block.at)))"
      @keydown="blockKey($event, block.at)"
    >
      <span class="plate"><ClipPlate v-if="block.clip" :clip="block.clip" /></span>
      <span class="name"
        >{{ block.part?.name
        }}<template v-if="block.span.repeat > 1">
          <span class="mono">×{{ block.span.repeat }}</span></template
        ></span
      >
      <button
        v-for="which in ['start', 'end'] as const"
        :key="which"
        class="plain handle"
        :class="which"
        role="slider"
        :aria-label="`${which === 'start' ? 'First' : 'Last'} frame of span ${block.at + 1}, ${block.part?.name}`"
        :aria-valuemin="0"
        :aria-valuemax="(block.part?.frames ?? 1) - 1"
        :aria-valuenow="which === 'start' ? block.first : block.last"
        :aria-valuetext="timeOf(which === 'start' ? block.first : block.last, fps)"
        @pointerdown.prevent.stop="take($event, drawn(block.at, which))"
        @keydown.stop="nudge($event, drawn(block.at, which))"
      ></button>
    </div>
    <template v-for="{ n, join, first, wide, middle } in joins" :key="n">
      <div class="both" :style="{ left: `${x(first)}px`, width: `${wide * scale}px` }"></div>
      <button
        v-if="join.number !== null"
        class="plain join"
        role="slider"
        :aria-label="`Join ${join.number + 1}`"
        :aria-valuemin="0"
        :aria-valuemax="made.frames - 1"
        :aria-valuenow="middle"
        :aria-valuetext="`at ${timeOf(middle, fps)}`"
        :aria-current="join.number === chosen"
        :title="`Join ${join.number + 1}: draw it earlier or later`"
        :style="{ left: `${x(middle) - 12}px` }"
        @pointerdown.prevent="(emit('choose', join.number), take($event, moved(join.number)))"
        @focus="emit('choose', join.number)"
        @keydown="nudge($event, moved(join.number))"
      >
        <svg width="24" height="118" aria-hidden="true">
          <line x1="12" y1="0" x2="12" y2="118" />
          <circle cx="12" cy="59" r="6" />
        </svg>
      </button>
    </template>
    <div class="playhead" :style="{ left: `${x(frame)}px` }"></div>
  </div>
</template>

<style scoped>
.times {
  position: relative;
  height: 152px;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  touch-action: none;
  user-select: none;
  flex: none;
  overflow: hidden;
}
.rule {
  position: absolute;
  inset: 0 0 auto 0;
  height: 24px;
  cursor: ew-resize;
  border-bottom: 1px solid var(--hairline);
}
.tick {
  position: absolute;
  top: 3px;
  transform: translateX(-50%);
  font-size: 12px;
  color: var(--quiet);
  white-space: nowrap;
}
.span {
  position: absolute;
  border: 1px solid var(--quiet);
  border-top: 2px solid var(--ink);
  background: var(--paper);
  border-radius: 2px;
  cursor: grab;
  overflow: hidden;
}
.span:focus-visible {
  outline-offset: -2px;
}
.plate {
  position: absolute;
  inset: 2px 12px 2px 12px;
  pointer-events: none;
}
.name {
  position: absolute;
  left: 16px;
  top: 2px;
  font-size: 13px;
  background: var(--paper);
  padding: 0 4px;
  max-width: calc(100% - 32px);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  pointer-events: none;
}
.handle {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 14px;
  cursor: ew-resize;
  z-index: 2; /* a join is drawn by its ring, which lies between the lanes */
}
.handle.start {
  left: 0;
}
.handle.end {
  right: 0;
}
.handle::before {
  content: '';
  position: absolute;
  top: 18px;
  bottom: 12px;
  left: 5px;
  width: 4px;
  border-left: 1px solid var(--quiet);
  border-right: 1px solid var(--quiet);
}
.both {
  position: absolute;
  top: 28px;
  height: 118px;
  pointer-events: none;
  background: repeating-linear-gradient(
    135deg,
    transparent 0 5px,
    color-mix(in srgb, var(--ink) 16%, transparent) 5px 6px
  );
}
.join {
  position: absolute;
  top: 28px;
  height: 118px;
  width: 24px;
  cursor: ew-resize;
}
.join line {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.join circle {
  fill: var(--panel);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.join[aria-current='true'] circle {
  fill: var(--accent);
  stroke: var(--accent);
}
.join[aria-current='true'] line {
  stroke: var(--accent);
  stroke-dasharray: none;
}
.playhead {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 0;
  border-left: 1px solid var(--accent);
  pointer-events: none;
}
</style>
