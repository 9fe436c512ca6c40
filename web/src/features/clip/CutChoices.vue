<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '@/api/client'
import { frameRange, inUnits } from '@/shared/units'
import CutPlate from './CutPlate.vue'

/** The stretches that a long take falls apart into; those that are ticked become clips. */
const props = defineProps<{ clip: number; cuts: Schemas['SegmentOut'][]; fps: number }>()
const emit = defineEmits<{ cut: [cuts: Schemas['SegmentOut'][]]; show: [frame: number] }>()
const left = ref(new Set<number>())
const chosen = computed(() => props.cuts.filter((cut) => !left.value.has(cut.first)))
function tick(cut: Schemas['SegmentOut'], on: boolean) {
  const now = new Set(left.value)
  if (on) now.delete(cut.first)
  else now.add(cut.first)
  left.value = now
}
const seconds = (cut: Schemas['SegmentOut']) => ((cut.last - cut.first) / props.fps).toFixed(1)
</script>

<template>
  <section aria-label="Cuts">
    <h2>Cuts</h2>
    <ul>
      <li v-for="cut in cuts" :key="cut.first">
        <CutPlate :clip="clip" :first="cut.first" :last="cut.last" :name="cut.what" @click="emit('show', cut.first)" />
        <label>
          <input
            type="checkbox"
            :checked="!left.has(cut.first)"
            @change="tick(cut, ($event.target as HTMLInputElement).checked)"
          />
          <span class="mono">{{ frameRange(cut.first, cut.last) }}</span>
          <span>{{ inUnits(cut.what) }}</span>
          <span class="quiet mono">{{ seconds(cut) }} s</span>
        </label>
      </li>
    </ul>
    <v-btn size="small" :disabled="!chosen.length" @click="emit('cut', chosen)">
      {{ chosen.length === 1 ? 'Cut out 1 clip' : `Cut out ${chosen.length} clips` }}
    </v-btn>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
}
h2 {
  font-size: 15px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
ul {
  display: grid;
  gap: 8px;
}
label {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 14px;
  min-height: 24px;
}
</style>
