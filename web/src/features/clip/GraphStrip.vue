<script setup lang="ts">
import { computed } from 'vue'

import BoneChoice from '@/shared/player/BoneChoice.vue'
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
  <div>
    <BoneChoice v-model:bone="bone" v-model:trace="trace" :names="names">
      <label
        ><span class="quiet">graph</span>
        <select v-model="graph" aria-label="Graph of the bone">
          <option value="">none</option>
          <option v-for="({ label }, name) in CURVES" :key="name" :value="name">{{ label }}</option>
          <option value="residual">residual</option>
        </select>
      </label>
      <template #after
        ><label v-if="before"><input v-model="ghost" type="checkbox" /> As it was</label></template
      >
    </BoneChoice>
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
