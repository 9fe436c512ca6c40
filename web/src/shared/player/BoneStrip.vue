<script setup lang="ts">
import BoneChoice from './BoneChoice.vue'
import { CURVES } from './boneCurves'
import CurveGraph from './CurveGraph.vue'
import type { MotionStudy } from './useMotionStudy'

/** The bone whose trace and curve are shown, under the ribbon. */
const props = defineProps<{ study: MotionStudy; frame: number }>()
const { trace, curve, bone, bones, curves } = props.study
</script>

<template>
  <template v-if="trace || curve">
    <BoneChoice v-model:bone="bone" v-model:trace="trace" :names="bones?.names ?? []">
      <label
        ><span class="quiet">curve</span>
        <select v-model="curve" aria-label="Curve of the bone">
          <option value="">none</option>
          <option v-for="({ label }, kind) in CURVES" :key="kind" :value="kind">{{ label }}</option>
        </select>
      </label>
      <template #after><span v-if="curve && curves.other" class="quiet">thin: the source</span></template>
    </BoneChoice>
    <CurveGraph
      v-if="curve && curves.own"
      :curve="curve"
      :name="bones?.names[bone] ?? ''"
      :own="curves.own"
      :other="curves.other"
      :frame="frame"
    />
  </template>
</template>
