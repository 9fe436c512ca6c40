<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import { lanesOf, meetingFrames, meetingText, type EnsembleRow, type Measures, type Meeting } from './ensembles'

/**
 * A lane for everybody and everything, and meetings as ties from lane to lane, over the frames in which they last.
 * fixed: their ends cannot be drawn.
 */
const props = defineProps<{
  row: EnsembleRow
  measures: Measures | null
  frames: number
  frame: number
  chosen: number
  fixed?: boolean
}>()
const emit = defineEmits<{ choose: [number: number]; range: [number: number, first: number, last: number] }>()
const LANE = 22
const EDGE = 7 // pixels from an end within which that is drawn
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))
const lanes = computed(() => lanesOf(props.row))
const x = (frame: number) => (props.frames < 2 ? 24 : (frame / (props.frames - 1)) * (width.value - 48) + 24)
const y = (name: string) => lanes.value.indexOf(name) * LANE + LANE / 2

/** What a hand draws at the moment. */
const drawn = ref<{ number: number; first: number; last: number } | null>(null)
/** The chosen one lies on top. Of those between the same two, each lies a little lower than the one before. */
const ties = computed(() => {
  const all = props.row.meetings.map((meeting, number) => {
    const { first, last } = drawn.value?.number === number ? drawn.value : meeting
    const [from, to] = [x(first - props.row.first), x(last - props.row.first)]
    const others = props.row.meetings.slice(0, number)
    const same = others.filter(
      (each) => each.a.who === meeting.a.who && each.b.who === meeting.b.who && each.last >= first,
    )
    const lower = Math.min(same.length, 2) * 4 - 2
    const [a, b] = [y(meeting.a.who) + lower, y(meeting.b.who) + lower]
    const found = props.measures?.meetings.find((each) => each.number === number)
    return { meeting, number, from, to, a, b, missed: found ? !found.kept : false }
  })
  return [...all.filter((tie) => tie.number !== props.chosen), ...all.filter((tie) => tie.number === props.chosen)]
})
const label = (meeting: Meeting) =>
  `${meetingText(meeting, props.row)}, frames ${meetingFrames(meeting, props.row.first)}`
function press(event: PointerEvent, number: number, from: number, to: number) {
  emit('choose', number)
  if (props.fixed) return
  const at = event.clientX - root.value!.getBoundingClientRect().left
  const edge = Math.abs(at - from) < EDGE ? 'first' : Math.abs(at - to) < EDGE ? 'last' : null
  if (!edge) return
  const target = event.currentTarget as Element
  target.setPointerCapture(event.pointerId)
  const { first, last } = props.row.meetings[number]
  const move = (next: PointerEvent) => {
    const share = (next.clientX - root.value!.getBoundingClientRect().left - 24) / (width.value - 48)
    const frame = props.row.first + Math.max(0, Math.min(props.frames - 1, Math.round(share * (props.frames - 1))))
    drawn.value =
      edge === 'first'
        ? { number, first: Math.min(frame, last), last }
        : { number, first, last: Math.max(frame, first) }
  }
  target.addEventListener('pointermove', move as EventListener)
  target.addEventListener(
    'lostpointercapture',
    () => {
      target.removeEventListener('pointermove', move as EventListener)
      const now = drawn.value
      drawn.value = null
      if (now && (now.first !== first || now.last !== last)) emit('range', number, now.first, now.last)
    },
    { once: true },
  )
}
</script>

<template>
  <div ref="root" class="ties">
    <svg :width="width" :height="lanes.length * LANE" role="group" aria-label="Meetings over time">
      <line
        v-for="(name, n) in lanes"
        :key="name"
        x1="24"
        :x2="width - 24"
        :y1="n * LANE + LANE / 2"
        :y2="n * LANE + LANE / 2"
        class="lane"
      />
      <line class="now" :x1="x(frame)" :x2="x(frame)" y1="0" :y2="lanes.length * LANE" />
      <g
        v-for="tie in ties"
        :key="tie.number"
        class="tie"
        :class="{ chosen: tie.number === chosen, missed: tie.missed }"
        role="button"
        tabindex="0"
        :aria-label="label(tie.meeting)"
        :aria-pressed="tie.number === chosen"
        @pointerdown="press($event, tie.number, tie.from, tie.to)"
        @keydown.enter.prevent="emit('choose', tie.number)"
        @keydown.space.prevent="emit('choose', tie.number)"
      >
        <title>{{ label(tie.meeting) }}</title>
        <path :d="`M${tie.from} ${tie.b}V${tie.a}H${tie.to}V${tie.b}Z`" class="area" />
        <path :d="`M${tie.from} ${tie.a}H${tie.to}M${tie.from} ${tie.b}H${tie.to}`" class="bar" />
        <path :d="`M${tie.from} ${tie.a}V${tie.b}M${tie.to} ${tie.a}V${tie.b}`" class="edge" />
      </g>
      <text v-for="(name, n) in lanes" :key="name" x="28" :y="n * LANE + LANE / 2 + 4" class="name">{{ name }}</text>
    </svg>
  </div>
</template>

<style scoped>
.ties {
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  padding: 4px 0;
  max-height: 190px;
  overflow-y: auto;
  flex: none;
}
svg {
  display: block;
}
.lane {
  stroke: var(--hairline);
}
.name {
  font-size: 12px;
  fill: var(--ink);
  stroke: var(--panel);
  stroke-width: 4px;
  paint-order: stroke;
  pointer-events: none;
}
.now {
  stroke: var(--accent);
  stroke-width: 1.5;
}
.tie {
  cursor: pointer;
}
.area {
  fill: currentColor;
  opacity: 0.07;
}
.bar {
  stroke: currentColor;
  stroke-width: 3;
  fill: none;
}
.edge {
  stroke: currentColor;
  stroke-width: 1.5;
  fill: none;
  cursor: ew-resize;
}
.chosen {
  color: var(--accent);
}
.chosen .area {
  opacity: 0.16;
}
.missed .bar {
  stroke: var(--wrong);
  stroke-dasharray: 5 3;
}
</style>
