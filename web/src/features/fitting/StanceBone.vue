<script setup lang="ts">
import type { Vector3 } from 'three'
import { computed } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import AxisTurns from './AxisTurns.vue'
import { axesOf, type Axes, type BonePose } from './stanceGeometry'
import type { StanceRow, Wanted } from './stances'
import type { Which } from './weave'

/** The bone that is turned by hand: its axes, how far it is turned about each, and what takes it back. */
const props = defineProps<{
  chosen: { which: Which; bone: string }
  row: StanceRow | undefined
  turned: boolean
  at: BonePose | null
  parent: BonePose | null
  forward: Vector3
  mirror: boolean
}>()
const axes = defineModel<Axes>('axes', { required: true })
const snap = defineModel<number>('snap', { required: true })
const emit = defineEmits<{ stand: [wanted: Wanted]; limb: []; close: [] }>()
const list = computed(() => {
  const at = axes.value === 'parent' ? (props.parent ?? props.at) : props.at
  return at ? axesOf(axes.value, at, props.forward) : []
})
function turn(axis: number[], degrees: number) {
  emit('stand', { op: 'turn', side: props.chosen.which, bone: props.chosen.bone, axis, degrees, mirror: props.mirror })
}
</script>

<template>
  <div class="bone" role="group" :aria-label="`Turn ${chosen.bone} by hand`">
    <div class="line">
      <span class="mono name">{{ chosen.bone }}</span>
      <span class="quiet"
        >{{ row ? row.part : 'outside the plan' }}{{ chosen.which === 'source' ? ', source' : '' }}</span
      >
      <span class="space"></span>
      <button class="plain word" aria-label="Done with this bone" @click="emit('close')">Done</button>
    </div>
    <AxisTurns v-model:axes="axes" v-model:snap="snap" :list="list" :of="chosen.bone" @turn="turn" />
    <div class="line">
      <button
        class="plain word"
        v-bind="withKey('Stance', 'reset')"
        :disabled="!turned"
        @click="emit('stand', { op: 'reset', side: chosen.which, bone: chosen.bone })"
      >
        Reset bone
      </button>
      <template v-if="row">
        <button class="plain word" @click="emit('stand', { op: 'reset', side: chosen.which, limb: row.limb })">
          Reset {{ row.limb }}
        </button>
        <button class="plain word" v-bind="withKey('Stance', 'alignLimb')" @click="emit('limb')">
          Align {{ row.limb }}
        </button>
      </template>
    </div>
  </div>
</template>

<style scoped>
.bone {
  border-top: 1px solid var(--hairline);
  padding: 8px 14px 10px;
  display: grid;
  gap: 6px;
  font-size: 13.5px;
  background: var(--panel);
}
.line {
  display: flex;
  gap: 10px;
  align-items: baseline;
  flex-wrap: wrap;
}
.name {
  font-weight: 700;
}
</style>
