<script setup lang="ts">
import { computed } from 'vue'

import { frameNumber, inUnits, quantity } from '@/shared/units'
import type { Positions } from '@/stage/motion'
import type { Bones } from '@/stores/cast'
import { sideView, type Candidate } from './splices'

/** Where two clips meet, the best first: both poses laid over each other, and what it costs by kind. */
const props = defineProps<{
  candidates: Candidate[]
  out: number
  into: number
  first: Positions | null
  second: Positions | null
  bones: Bones | null
  names: [string, string]
}>()
defineEmits<{ choose: [candidate: Candidate] }>()
const KINDS = ['pose', 'feet', 'heading', 'speed'] as const
const dearest = computed(() => Math.max(10, ...props.candidates.map((row) => row.cost ?? 0)))
const isNow = (row: Candidate) => row.out === props.out && row.into === props.into
const joint = (part: string) => props.bones?.parts.indexOf(part) ?? -1
const poseOf = ({ points, values }: Positions, frame: number) =>
  values.subarray(frame * points * 3, (frame + 1) * points * 3)

/** Bones as lines, seen from the side of the first body. */
function lines(row: Candidate) {
  const { bones, first, second } = props
  if (!bones || !first || !second) return null
  if (row.out >= first.frames || row.into >= second.frames) return null
  const [own, other] = [poseOf(first, row.out), poseOf(second, row.into)]
  const [left, right] = [joint('left upper leg'), joint('right upper leg')]
  const hips = Math.max(0, joint('hips'))
  let lateral: [number, number] = [1, 0]
  if (left >= 0 && right >= 0) {
    const [dx, dz] = [own[left * 3] - own[right * 3], own[left * 3 + 2] - own[right * 3 + 2]]
    const far = Math.hypot(dx, dz) || 1
    lateral = [dx / far, dz / far]
  }
  const turn = (row.turn * Math.PI) / 180
  const [c, s] = [Math.cos(turn), Math.sin(turn)]
  const at = [other[hips * 3] * c + other[hips * 3 + 2] * s, other[hips * 3 + 2] * c - other[hips * 3] * s]
  const shift: [number, number] = [own[hips * 3] - at[0], own[hips * 3 + 2] - at[1]]
  const views = [sideView(own, lateral), sideView(other, lateral, turn, shift)]
  const parents = [...bones.parents, ...bones.ends]
  const paths = views.map((view) =>
    parents
      .map((parent, n) =>
        parent < 0
          ? ''
          : `M${view[parent * 2].toFixed(3)} ${(-view[parent * 2 + 1]).toFixed(3)}L${view[n * 2].toFixed(3)} ${(-view[n * 2 + 1]).toFixed(3)}`,
      )
      .join(''),
  )
  const xs = views.flatMap((view) => view.filter((_, n) => n % 2 === 0))
  const ys = views.flatMap((view) => view.filter((_, n) => n % 2 === 1))
  const [low, high, top] = [Math.min(...xs), Math.max(...xs), Math.max(...ys)]
  return { paths, box: `${low - 0.05} ${-top - 0.05} ${high - low + 0.1} ${top + 0.1}` }
}
const drawn = computed(() => props.candidates.map(lines))
const costOf = (row: Candidate) => (row.cost === null ? 'refused' : quantity(row.cost, 'cm'))
</script>

<template>
  <div class="candidates" role="group" aria-label="Where the clips meet">
    <button
      v-for="(row, n) in candidates"
      :key="`${row.out}.${row.into}`"
      class="plain candidate"
      :aria-pressed="isNow(row)"
      :title="`${names[0]} ${frameNumber(row.out)} into ${names[1]} ${frameNumber(row.into)}`"
      @click="$emit('choose', row)"
    >
      <svg v-if="drawn[n]" :viewBox="drawn[n]!.box" class="poses" aria-hidden="true">
        <path :d="drawn[n]!.paths[0]" class="first" />
        <path :d="drawn[n]!.paths[1]" class="second" />
      </svg>
      <span v-else class="poses"></span>
      <span class="said">
        <span class="line"
          ><span class="mono">{{ frameNumber(row.out) }} into {{ frameNumber(row.into) }}</span
          ><span class="quiet">{{ isNow(row) ? 'joined here' : '' }}</span
          ><span class="mono cost">{{ costOf(row) }}</span></span
        >
        <span class="bar" aria-hidden="true">
          <span
            v-for="kind in KINDS"
            :key="kind"
            :class="kind"
            :style="{ width: `${(row[kind] / dearest) * 100}%` }"
          ></span>
        </span>
        <span class="quiet words">{{ inUnits(row.words.join(', ')) || 'nothing against it' }}</span>
      </span>
    </button>
    <p class="quiet legend" aria-hidden="true">
      <span v-for="kind in KINDS" :key="kind"><i :class="kind"></i>{{ kind }}</span>
      <span>in centimetres</span>
    </p>
  </div>
</template>

<style scoped>
.candidates {
  display: grid;
}
.candidate {
  display: grid;
  grid-template-columns: 74px 1fr;
  gap: 10px;
  align-items: center;
  padding: 4px 6px;
  border-bottom: 1px solid var(--hairline);
}
.candidate[aria-pressed='true'],
.candidate:hover {
  background: var(--paper);
}
.candidate[aria-pressed='true'] {
  box-shadow: inset 3px 0 0 var(--accent);
}
.poses {
  width: 74px;
  height: 66px;
}
.poses path {
  fill: none;
  stroke-width: 1.4px;
  vector-effect: non-scaling-stroke;
  stroke-linecap: round;
}
.first {
  stroke: var(--ink);
}
.second {
  stroke: var(--accent);
  stroke-dasharray: 3 1.5;
}
.said {
  display: grid;
  gap: 3px;
  min-width: 0;
}
.line {
  display: flex;
  gap: 8px;
  font-size: 13px;
}
.cost {
  margin-left: auto;
}
.words {
  font-size: 12.5px;
  line-height: 1.25;
}
.bar {
  display: flex;
  height: 5px;
  background: var(--hairline);
}
.bar span {
  height: 5px;
}
.pose {
  background: var(--ink);
}
.feet {
  background: repeating-linear-gradient(90deg, var(--ink) 0 2px, var(--panel) 2px 4px);
}
.heading {
  background: var(--quiet);
}
.speed {
  background: color-mix(in srgb, var(--accent) 60%, var(--panel));
}
.legend {
  display: flex;
  gap: 12px;
  font-size: 12.5px;
  padding: 6px;
}
.legend i {
  display: inline-block;
  width: 14px;
  height: 5px;
  margin-right: 4px;
  vertical-align: middle;
}
</style>
