<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, ref } from 'vue'

import type { Positions } from '@/stage/motion'
import { CURVES, curveOf, type Graph } from './curves'
import ResidualGraph from './ResidualGraph.vue'

/**
 * What a bone does over the clip, on the ribbon's time scale: before, thin, and now; or what a low pass would take off
 * it. digest: of what is to be smoothed. cutoff: of the step that smooths.
 */
const props = defineProps<{
  clip: number
  digest: string
  cutoff: number | null
  names: string[]
  parents: number[]
  now: Positions | null
  before: Positions | null
  frame: number
  fps: number
}>()
const bone = defineModel<number>('bone', { required: true })
const graph = defineModel<Graph>('graph', { required: true })
const trace = defineModel<boolean>('trace', { required: true })
const ghost = defineModel<boolean>('ghost', { required: true })
defineEmits<{ cutoff: [hertz: number] }>()
const curve = computed(() => (graph.value === 'residual' ? '' : graph.value))

const root = ref<HTMLElement>()
const width = ref(800)
const HEIGHT = 66
useResizeObserver(root, ([entry]) => (width.value = entry.contentRect.width))

const values = (positions: Positions | null) =>
  positions && curve.value ? curveOf(curve.value, positions, bone.value, props.parents, props.fps) : null
const own = computed(() => values(props.now))
const other = computed(() => values(props.before))
const bounds = computed(() => {
  let [low, high] = [Infinity, -Infinity]
  for (const list of [own.value, other.value])
    for (const value of list ?? []) {
      low = Math.min(low, value)
      high = Math.max(high, value)
    }
  return high - low < 1e-6 ? [low - 1, high + 1] : [low, high]
})
const x = (frame: number, frames: number) => (frames < 2 ? 24 : (frame / (frames - 1)) * (width.value - 48) + 24)
const y = (value: number) =>
  HEIGHT - 8 - ((value - bounds.value[0]) / (bounds.value[1] - bounds.value[0])) * (HEIGHT - 16)
function path(list: Float32Array | null) {
  if (!list?.length) return ''
  const step = Math.max(1, Math.floor(list.length / (width.value * 1.5)))
  let out = ''
  for (let frame = 0; frame < list.length; frame += step)
    out += `${out ? 'L' : 'M'}${x(frame, list.length).toFixed(1)} ${y(list[frame]).toFixed(1)}`
  return out
}
const unit = computed(() => (curve.value ? CURVES[curve.value].unit : ''))
const here = computed(() => own.value?.[Math.min(props.frame, own.value.length - 1)] ?? 0)
const written = (value: number) => `${value.toFixed(Math.abs(value) < 10 ? 1 : 0)} ${unit.value}`.replace(' °', '°')
</script>

<template>
  <div class="strip">
    <div class="row">
      <label
        ><span class="quiet">Bone</span>
        <select v-model.number="bone" aria-label="Bone to look at" class="mono">
          <option v-for="(name, n) in names" :key="name" :value="n">{{ name }}</option>
        </select>
      </label>
      <label
        ><span class="quiet">graph</span>
        <select v-model="graph" aria-label="Graph of the bone">
          <option value="">none</option>
          <option v-for="({ label }, name) in CURVES" :key="name" :value="name">{{ label }}</option>
          <option value="residual">residual</option>
        </select>
      </label>
      <label><input v-model="trace" type="checkbox" /> Trace</label>
      <label v-if="before"><input v-model="ghost" type="checkbox" /> As it was</label>
      <span class="space"></span>
      <span v-if="curve && own" class="mono"
        ><b>{{ written(here) }}</b>
        <span class="quiet">{{ written(bounds[0]) }} to {{ written(bounds[1]) }}</span></span
      >
    </div>
    <ResidualGraph
      v-if="graph === 'residual'"
      :clip="clip"
      :bone="bone"
      :name="names[bone]"
      :digest="digest"
      :cutoff="cutoff"
      @cutoff="$emit('cutoff', $event)"
    />
    <div v-if="curve" ref="root" class="graph">
      <svg :width="width" :height="HEIGHT" role="img" :aria-label="`${names[bone]}, ${CURVES[curve].label}`">
        <path v-if="other" :d="path(other)" class="before" />
        <path :d="path(own)" class="now" />
        <line v-if="own" :x1="x(frame, own.length)" :x2="x(frame, own.length)" y1="0" :y2="HEIGHT" class="head" />
      </svg>
    </div>
  </div>
</template>

<style scoped>
.strip {
  border-top: 1px solid var(--hairline);
  background: var(--panel);
}
.row {
  display: flex;
  gap: 16px;
  align-items: center;
  padding: 4px 18px;
  font-size: 14px;
  min-height: 32px;
}
.row label {
  display: flex;
  gap: 6px;
  align-items: center;
  min-height: 24px;
}
select {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font-size: 13px;
  min-height: 24px;
  padding: 0 4px;
  max-width: 11rem;
}
svg {
  display: block;
}
path {
  fill: none;
}
.before {
  stroke: var(--quiet);
  stroke-width: 0.8;
  opacity: 0.7;
}
.now {
  stroke: var(--ink);
  stroke-width: 1.4;
}
.head {
  stroke: var(--accent);
  stroke-width: 1.5;
}
</style>
