<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import { fetchArrays } from '@/api/client'
import { frameNumber, quantity } from '@/shared/units'
import { useLatest } from '@/shared/useLatest'
import { useMessages } from '@/stores/messages'
import { limitsQuery, UNLIMITED, type Limits } from './candidateRange'
import type { Candidate } from './splices'

/**
 * What it costs to go from any frame of the one clip to any of the other: the stronger the ink, the less. Any place can
 * be taken, by the pointer or by arrow keys and Enter; a box that is drawn is where candidates are looked for.
 */
const props = defineProps<{
  splice: number
  join: number
  /** Of what it is a map; another one is fetched when this changes. */
  version: string
  out: number
  into: number
  candidates: Candidate[]
  names: [string, string]
  limits: Limits
  frames: [number, number]
}>()
const emit = defineEmits<{ choose: [out: number, into: number]; limit: [limits: Limits] }>()
const DRAWN = 5 // pixels from which on a press is a box
const theme = useTheme()
const canvas = ref<HTMLCanvasElement>()
const box = ref<HTMLElement>()
const size = ref({ width: 380, height: 260 })
useResizeObserver(box, ([entry]) => (size.value = { width: entry.contentRect.width, height: entry.contentRect.height }))
const map = ref<{ rows: Float32Array; columns: Float32Array; costs: Float32Array } | null>(null)
const cursor = ref<[out: number, into: number] | null>(null)
const latest = useLatest()

watch(
  () => [props.splice, props.join, props.version].join(),
  () =>
    void latest(
      () => fetchArrays(`/api/splices/${props.splice}/joins/${props.join}/map`),
      ({ blocks: [costs, rows, columns] }) => {
        map.value = { costs: costs.values, rows: rows.values, columns: columns.values }
        cursor.value = null
        void nextTick(paint)
      },
    ).catch(useMessages().fail),
  { immediate: true },
)
/** Of either clip, so that a place is the same before and after the map has come. */
const last = computed(() => ({ out: props.frames[0] - 1, into: props.frames[1] - 1 }))
/** The costs that are drawn as dark as ink and as light as paper: the least, and what two thirds do not cost. */
const range = computed(() => {
  const costs = Float32Array.from([...(map.value?.costs ?? [])].filter((cost) => cost >= 0)).sort()
  const [least, light] = [costs[0] ?? 0, costs[Math.floor(costs.length * 0.66)] ?? 1]
  return { least, wide: Math.max(light - least, 1e-3) }
})
function paint() {
  const found = map.value
  const context = canvas.value?.getContext('2d', { willReadFrequently: true })
  if (!found || !context || !canvas.value) return
  const [height, width] = [found.rows.length, found.columns.length]
  canvas.value.width = width
  canvas.value.height = height
  const style = getComputedStyle(canvas.value)
  const colour = (name: string) => {
    context.fillStyle = style.getPropertyValue(name)
    context.fillRect(0, 0, 1, 1)
    return [...context.getImageData(0, 0, 1, 1).data].slice(0, 3)
  }
  const [ink, paper, refused] = [colour('--ink'), colour('--paper'), colour('--hairline')]
  const image = context.createImageData(width, height)
  found.costs.forEach((cost, n) => {
    // Out goes upwards, as into goes to the right.
    const row = height - 1 - Math.floor(n / width)
    const at = (row * width + (n % width)) * 4
    const share = Math.min(1, Math.max(0, (cost - range.value.least) / range.value.wide)) ** 0.8
    for (let k = 0; k < 3; k++)
      image.data[at + k] = cost < 0 ? refused[k] : Math.round(ink[k] + (paper[k] - ink[k]) * share)
    image.data[at + 3] = 255
  })
  context.putImageData(image, 0, 0)
}
watch(
  () => theme.global.name.value,
  () => void nextTick(paint),
  { flush: 'post' },
)
onMounted(paint)

const x = (into: number) => (into / Math.max(1, last.value.into)) * size.value.width
const y = (out: number) => size.value.height - (out / Math.max(1, last.value.out)) * size.value.height
function placeAt(event: PointerEvent): [number, number] {
  const edge = box.value!.getBoundingClientRect()
  const [right, up] = [(event.clientX - edge.left) / edge.width, 1 - (event.clientY - edge.top) / edge.height]
  const on = (share: number, most: number) => Math.round(Math.min(1, Math.max(0, share)) * most)
  return [on(up, last.value.out), on(right, last.value.into)]
}
/** The box in which candidates are looked for: as it is drawn, or as it is said. */
const drawn = ref<[from: [number, number], to: [number, number]] | null>(null)
const edges = computed(() => {
  if (drawn.value) return drawn.value
  const said = limitsQuery(props.limits, props.frames)
  if (said.out_first === undefined && said.into_first === undefined) return null
  const from = [said.out_first ?? 0, said.into_first ?? 0]
  return [from, [said.out_last ?? last.value.out, said.into_last ?? last.value.into]]
})
let boxed = false
function draw(event: PointerEvent) {
  boxed = false
  if (event.button !== 0) return
  const target = event.currentTarget as HTMLElement
  const [begun, x, y] = [placeAt(event), event.clientX, event.clientY]
  target.setPointerCapture(event.pointerId)
  const move = (next: PointerEvent) => {
    boxed ||= Math.hypot(next.clientX - x, next.clientY - y) > DRAWN
    if (boxed) drawn.value = [begun, placeAt(next)]
  }
  const stop = () => {
    target.removeEventListener('pointermove', move)
    if (!drawn.value) return
    const [[outA, intoA], [outB, intoB]] = drawn.value
    drawn.value = null
    emit('limit', [
      [Math.min(outA, outB), Math.max(outA, outB)],
      [Math.min(intoA, intoB), Math.max(intoA, intoB)],
    ])
  }
  target.addEventListener('pointermove', move)
  target.addEventListener('lostpointercapture', stop, { once: true })
}
/** A click that ends a box is no choice. */
const click = (event: PointerEvent) => boxed || emit('choose', ...placeAt(event))
function key(event: KeyboardEvent) {
  const [out, into] = cursor.value ?? [props.out, props.into]
  const step = event.shiftKey ? 10 : 1
  const moves: Record<string, [number, number]> = {
    ArrowUp: [step, 0],
    ArrowDown: [-step, 0],
    ArrowLeft: [0, -step],
    ArrowRight: [0, step],
  }
  if (event.key === 'Enter') return emit('choose', out, into)
  if (event.key === 'Escape') {
    if (!cursor.value) emit('limit', UNLIMITED)
    return void (cursor.value = null)
  }
  const move = moves[event.key]
  if (!move) return
  event.preventDefault()
  event.stopPropagation()
  const within = (value: number, most: number) => Math.min(most, Math.max(0, value))
  cursor.value = [within(out + move[0], last.value.out), within(into + move[1], last.value.into)]
}
const nearest = (list: Float32Array, frame: number) => {
  let best = 0
  list.forEach((value, n) => Math.abs(value - frame) < Math.abs(list[best] - frame) && (best = n))
  return best
}
const costAt = (out: number, into: number) => {
  const found = map.value
  return found && found.costs[nearest(found.rows, out) * found.columns.length + nearest(found.columns, into)]
}
const said = computed(() => {
  const [out, into] = cursor.value ?? [props.out, props.into]
  const cost = costAt(out, into)
  const words = cost === null ? '' : cost < 0 ? 'refused: from one foot to the other' : quantity(cost, 'cm')
  return `${props.names[0]} ${frameNumber(out)} into ${props.names[1]} ${frameNumber(into)}: ${words}`
})
</script>

<template>
  <div class="map">
    <div
      ref="box"
      class="picture"
      tabindex="0"
      role="application"
      :aria-label="`Cost map: ${said}. Arrow keys move, Enter joins there.`"
      @pointermove="cursor = placeAt($event)"
      @pointerleave="cursor = null"
      @pointerdown="draw"
      @click="click($event as PointerEvent)"
      @keydown="key"
      @blur="cursor = null"
    >
      <canvas ref="canvas"></canvas>
      <svg :width="size.width" :height="size.height" aria-hidden="true">
        <rect
          v-if="edges"
          class="edges"
          :x="Math.min(x(edges[0][1]), x(edges[1][1]))"
          :y="Math.min(y(edges[0][0]), y(edges[1][0]))"
          :width="Math.abs(x(edges[1][1]) - x(edges[0][1]))"
          :height="Math.abs(y(edges[1][0]) - y(edges[0][0]))"
        />
        <template v-for="row in candidates" :key="`${row.out}.${row.into}`">
          <circle :cx="x(row.into)" :cy="y(row.out)" r="6.5" class="under" />
          <circle :cx="x(row.into)" :cy="y(row.out)" r="5" class="candidate" />
        </template>
        <circle :cx="x(into)" :cy="y(out)" r="5.5" class="now" />
        <template v-if="cursor">
          <line :x1="x(cursor[1])" :x2="x(cursor[1])" y1="0" :y2="size.height" />
          <line x1="0" :x2="size.width" :y1="y(cursor[0])" :y2="y(cursor[0])" />
        </template>
      </svg>
    </div>
    <p class="axes quiet">
      <span>↑ out of {{ names[0] }}</span
      ><span>→ into {{ names[1] }}</span>
    </p>
    <p class="mono said" role="status">{{ said }}</p>
    <p class="quiet hint">
      The stronger its ink, the less a place costs; rings are the candidates. Click any place to join there; draw a box
      to look for candidates within it.
    </p>
  </div>
</template>

<style scoped>
.map {
  display: grid;
  gap: 4px;
  padding: 8px 14px 12px;
  font-size: 13px;
}
.picture {
  position: relative;
  height: 250px;
  border: 1px solid var(--hairline);
  cursor: crosshair;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
svg {
  position: absolute;
  inset: 0;
  pointer-events: none;
  overflow: visible;
}
.edges {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.2;
  stroke-dasharray: 5 4;
}
.candidate {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.8;
}
.under {
  fill: none;
  stroke: var(--panel);
  stroke-width: 2;
}
.now {
  fill: var(--accent);
  stroke: var(--panel);
  stroke-width: 1.5;
}
line {
  stroke: var(--accent);
  stroke-width: 1;
}
.axes {
  display: flex;
  justify-content: space-between;
}
.hint {
  font-size: 12.5px;
}
</style>
