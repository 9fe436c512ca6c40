<script setup lang="ts">
import { computed } from 'vue'

import { curveOf, CURVES } from '@/shared/player/boneCurves'
import CurveGraph from '@/shared/player/CurveGraph.vue'
import type { Positions } from '@/stage/motion'
import type { Graph } from './curves'
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

const values = (positions: Positions | null) =>
  positions && curve.value ? curveOf(curve.value, positions, bone.value, props.parents, props.fps) : null
const own = computed(() => values(props.now))
const other = computed(() => values(props.before))
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
    <CurveGraph v-if="curve" :curve="curve" :name="names[bone]" :own="own" :other="other" :frame="frame" />
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
  font-size: 13px;
  max-width: 11rem;
}
</style>
