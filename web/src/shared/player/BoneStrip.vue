<script setup lang="ts">
import { CURVES } from './boneCurves'
import CurveGraph from './CurveGraph.vue'
import type { MotionStudy } from './useMotionStudy'

/** The bone whose trace and curve are shown, under the ribbon. */
const props = defineProps<{ study: MotionStudy; frame: number }>()
const { trace, curve, bone, bones, curves } = props.study
</script>

<template>
  <div v-if="trace || curve" class="strip">
    <div class="row">
      <label
        ><span class="quiet">Bone</span>
        <select v-model.number="bone" aria-label="Bone to look at" class="mono">
          <option v-for="(name, n) in bones?.names" :key="name" :value="n">{{ name }}</option>
        </select>
      </label>
      <label
        ><span class="quiet">curve</span>
        <select v-model="curve" aria-label="Curve of the bone">
          <option value="">none</option>
          <option v-for="({ label }, kind) in CURVES" :key="kind" :value="kind">{{ label }}</option>
        </select>
      </label>
      <label><input v-model="trace" type="checkbox" /> Trace</label>
      <span v-if="curve && curves.other" class="quiet">thin: the source</span>
    </div>
    <CurveGraph
      v-if="curve && curves.own"
      :curve="curve"
      :name="bones?.names[bone] ?? ''"
      :own="curves.own"
      :other="curves.other"
      :frame="frame"
    />
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
label {
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
