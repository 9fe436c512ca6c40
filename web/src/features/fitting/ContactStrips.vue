<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref, watch } from 'vue'

import type { Schemas } from '@/api/client'
import { frameRange, frameSpan } from '@/shared/units'
import type { Contact } from './useSettling'

/** Where feet and hands rest, on the time scale of the ribbon above: one lane for each limb, heel above toes. */
const props = defineProps<{ frames: number; frame: number; contacts: Schemas['ContactsOut'] }>()
const emit = defineEmits<{ frame: [frame: number]; set: [contacts: Contact[]] }>()
const LANE = 24
const EDGE = 7
const root = ref<HTMLElement>()
const width = ref(800)
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

const rows = ref<Contact[]>([])
const chosen = ref<number | null>(null)
let held: { n: number; part: 'first' | 'last' | 'whole'; from: number; was: Contact } | null = null
// What a hand is drawing is not taken out of it; letting go asks for all of them again.
watch(
  () => props.contacts,
  (now) => {
    if (held) return
    rows.value = now.contacts.map((contact) => ({ ...contact }))
    if (chosen.value !== null && !rows.value[chosen.value]) chosen.value = null
  },
  { immediate: true },
)
const lanes = computed(() => {
  const limbs = [...new Set(props.contacts.points.map((point) => point.limb))]
  return limbs
    .map((limb) => ({ limb, points: props.contacts.points.filter((point) => point.limb === limb) }))
    .filter(
      (lane) =>
        lane.points.some((point) => point.foot) ||
        rows.value.some((contact) =>
          lane.points.some((point) => point.name === contact.point || point.name === contact.to),
        ),
    )
})
const x = (frame: number) => (props.frames < 2 ? 0 : (frame / (props.frames - 1)) * (width.value - 48) + 24)
const place = computed(() => {
  const out = new Map<string, { top: number; height: number; side: string }>()
  lanes.value.forEach((lane, n) => {
    const each = LANE / lane.points.length
    lane.points.forEach((point, k) => out.set(point.name, { top: n * LANE + k * each, height: each, side: point.side }))
  })
  return out
})
/** Bars of a contact: its own, and for hands that keep to each other the other's, too. */
const bars = computed(() =>
  rows.value.flatMap((contact, n) =>
    [contact.point, contact.to]
      .filter((name) => place.value.has(name))
      .map((name, k) => ({ n, name, contact, own: k === 0, ...place.value.get(name)! })),
  ),
)
/** Where a lane's name stands: in its first gap that is wide enough. */
function labelAt(points: { name: string }[]) {
  const taken = bars.value
    .filter((bar) => points.some((point) => point.name === bar.name))
    .map((bar) => [x(bar.contact.first), x(bar.contact.last)])
  const starts = [2, ...taken.map(([, end]) => end + 6)].sort((a, b) => a - b)
  return starts.find((start) => start + 56 < width.value && taken.every(([a, b]) => b < start || a > start + 56)) ?? 2
}

function frameAt(event: PointerEvent) {
  const box = root.value!.getBoundingClientRect()
  return Math.max(
    0,
    Math.min(props.frames - 1, Math.round(((event.clientX - box.left - 24) / (box.width - 48)) * (props.frames - 1))),
  )
}
function pointAt(event: PointerEvent): string | null {
  const y = event.clientY - root.value!.getBoundingClientRect().top
  return [...place.value].find(([, lane]) => y >= lane.top && y < lane.top + lane.height)?.[0] ?? null
}
function press(event: PointerEvent) {
  if (event.button !== 0) return
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  const at = frameAt(event)
  const bar = (event.target as Element).closest('[data-contact]')
  const box = root.value!.getBoundingClientRect()
  let n = bar ? Number(bar.getAttribute('data-contact')) : -1
  if (n < 0) {
    const point = pointAt(event)
    chosen.value = null
    if (!point) return
    n = rows.value.push({ point, first: at, last: at, to: '' }) - 1
    held = { n, part: 'last', from: at, was: { ...rows.value[n] } }
  } else {
    const contact = rows.value[n]
    const off = event.clientX - box.left
    const part =
      Math.abs(off - x(contact.first)) <= EDGE ? 'first' : Math.abs(off - x(contact.last)) <= EDGE ? 'last' : 'whole'
    held = { n, part, from: at, was: { ...contact } }
  }
  chosen.value = n
}
function drag(event: PointerEvent) {
  if (!held || !(event.buttons & 1)) return
  const at = frameAt(event)
  const contact = rows.value[held.n]
  const { was } = held
  if (held.part === 'whole') {
    const by = Math.max(-was.first, Math.min(props.frames - 1 - was.last, at - held.from))
    contact.first = was.first + by
    contact.last = was.last + by
  } else if (held.part === 'first') contact.first = Math.min(at, contact.last)
  else {
    contact.first = Math.min(was.first, at)
    contact.last = Math.max(was.first, at)
  }
  emit('frame', held.part === 'first' ? contact.first : contact.last)
}
function release() {
  if (!held) return
  const contact = rows.value[held.n]
  const fresh = !props.contacts.contacts[held.n]
  const same = contact.first === held.was.first && contact.last === held.was.last
  const at = held
  held = null
  if (fresh && contact.last - contact.first < 2) {
    // A press in an empty lane goes to its frame, as in the ribbon.
    rows.value.splice(at.n, 1)
    chosen.value = null
    emit('frame', at.from)
  } else if (!same || fresh) keep()
}
function keep() {
  emit(
    'set',
    rows.value.map(({ point, first, last, to }) => ({ point, first, last, to })),
  )
}
function remove(n: number) {
  rows.value.splice(n, 1)
  chosen.value = null
  keep()
}
function key(event: KeyboardEvent, n: number) {
  const contact = rows.value[n]
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (event.key === 'Delete' || event.key === 'Backspace') remove(n)
  else if (step) {
    const edge = event.shiftKey ? 'first' : 'last'
    const value = Math.max(
      edge === 'first' ? 0 : contact.first,
      Math.min(edge === 'first' ? contact.last : props.frames - 1, contact[edge] + step),
    )
    if (value === contact[edge]) return
    contact[edge] = value
    keep()
  } else return
  event.preventDefault()
  event.stopPropagation()
}
const words = (contact: Contact) =>
  `${contact.point} rests${contact.to ? ` on the ${contact.to}` : ''}, frames ${frameRange(contact.first, contact.last)}`
</script>

<template>
  <div
    ref="root"
    class="strips"
    role="group"
    aria-label="Contacts"
    @pointerdown="press"
    @pointermove="drag"
    @pointerup="release"
    @pointercancel="release"
  >
    <svg :width="width" :height="lanes.length * LANE">
      <line v-for="(lane, n) in lanes" :key="lane.limb" x1="0" :x2="width" :y1="n * LANE" :y2="n * LANE" class="rule" />
      <g
        v-for="bar in bars"
        :key="`${bar.n} ${bar.name}`"
        :data-contact="bar.n"
        :class="['contact', bar.side || 'middle', { chosen: chosen === bar.n, kept: bar.contact.to }]"
        :tabindex="bar.own ? 0 : -1"
        role="button"
        :aria-label="`${words(bar.contact)}. Arrows move its end, with Shift its start; Delete removes it.`"
        @focus="chosen = bar.n"
        @keydown="key($event, bar.n)"
      >
        <rect
          :x="x(bar.contact.first)"
          :y="bar.top"
          :width="Math.max(6, x(bar.contact.last) - x(bar.contact.first))"
          :height="bar.height"
          class="grip"
        >
          <title>{{ words(bar.contact) }}</title>
        </rect>
        <rect
          :x="x(bar.contact.first)"
          :y="bar.top + bar.height / 2 - 3.5"
          :width="Math.max(3, x(bar.contact.last) - x(bar.contact.first))"
          height="7"
          class="bar"
        />
        <rect
          v-if="bar.side === 'right'"
          :x="x(bar.contact.first) + 1"
          :y="bar.top + bar.height / 2 - 1"
          :width="Math.max(1, x(bar.contact.last) - x(bar.contact.first) - 2)"
          height="2"
          class="core"
        />
        <text
          v-if="bar.contact.to && bar.own"
          :x="Math.max(x(bar.contact.first) + 5, 62)"
          :y="bar.top + bar.height / 2 + 4"
          class="to"
        >
          on the {{ bar.contact.to }}
        </text>
      </g>
      <line :x1="x(frame)" :x2="x(frame)" y1="0" :y2="lanes.length * LANE" class="head" />
      <!-- Last, so that a name can be read where bars leave no gap for it. -->
      <text v-for="(lane, n) in lanes" :key="`name of ${lane.limb}`" :x="labelAt(lane.points)" :y="n * LANE + 15">
        {{ lane.limb }}
      </text>
    </svg>
    <button
      v-if="chosen !== null && rows[chosen]"
      class="plain word gone"
      :style="{
        left: `${Math.min(width - 150, Math.max(30, x(rows[chosen].first)))}px`,
        top: `${(place.get(rows[chosen].point)?.top ?? 0) - 1}px`,
      }"
      @pointerdown.stop
      @click="remove(chosen)"
    >
      Remove {{ frameSpan(rows[chosen].first, rows[chosen].last) }}
    </button>
  </div>
</template>

<style scoped>
.strips {
  position: relative;
  background: var(--panel);
  border-top: 1px solid var(--hairline);
  touch-action: none;
  user-select: none;
  overflow: hidden;
  cursor: crosshair;
}
svg {
  display: block;
}
.rule {
  stroke: var(--hairline);
}
text {
  font-size: 11px;
  fill: var(--quiet);
  pointer-events: none;
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.grip {
  fill: transparent;
}
.contact {
  cursor: ew-resize;
  outline: none;
}
.bar {
  fill: var(--ink);
  opacity: 0.85;
  rx: 1.5px;
}
.left .bar {
  fill: var(--left);
}
.right .bar {
  fill: var(--right);
}
.core {
  fill: var(--panel);
}
.kept .bar {
  fill: none;
  stroke: currentColor;
  stroke-dasharray: 3 2;
}
.kept.left {
  color: var(--left);
}
.kept.right {
  color: var(--right);
}
.kept .core {
  display: none;
}
.chosen .grip,
.contact:focus-visible .grip {
  stroke: var(--accent);
  stroke-width: 1.5;
  fill: rgb(var(--v-theme-surface-variant));
}
.to {
  fill: var(--ink);
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
  pointer-events: none;
}
.gone {
  position: absolute;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 0 6px;
  font-size: 12px;
  text-decoration: none;
  color: var(--accent);
}
</style>
