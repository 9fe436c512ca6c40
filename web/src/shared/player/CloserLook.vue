<script setup lang="ts">
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { frameRange } from '@/shared/units'
import { CURVES } from './boneCurves'
import type { MotionStudy } from './useMotionStudy'
import type { PlayedRange } from './useRange'

/** What helps to look more closely: a range that is repeated, poses around this one, a bone's trace and curve. */
const props = defineProps<{ study: MotionStudy; range: PlayedRange; frame: number }>()
const { neighbours, trace, curve, nextCurve } = props.study
useShortcuts('A closer look', {
  neighbours: () => void (neighbours.value = !neighbours.value),
  trace: () => void (trace.value = !trace.value),
  curve: () => void nextCurve(),
  rangeFirst: () => void props.range.begin(props.frame),
  rangeLast: () => void props.range.finish(props.frame),
  rangeAll: () => void props.range.clear(),
})
</script>

<template>
  <v-menu :close-on-content-click="false">
    <template #activator="{ props: menu }">
      <button class="plain word" title="A range that is repeated, poses around this one, a bone's trace" v-bind="menu">
        A closer look
      </button>
    </template>
    <div class="sheet closer" role="group" aria-label="A closer look">
      <label v-bind="withKey('A closer look', 'neighbours')"
        ><input v-model="neighbours" type="checkbox" /> Poses before and after</label
      >
      <label v-bind="withKey('A closer look', 'trace')"
        ><input v-model="trace" type="checkbox" /> Trace of a bone</label
      >
      <label v-bind="withKey('A closer look', 'curve')"
        >Curve of it
        <select v-model="curve" aria-label="Curve of a bone">
          <option value="">none</option>
          <option v-for="({ label }, kind) in CURVES" :key="kind" :value="kind">{{ label }}</option>
        </select></label
      >
      <div class="range">
        <span class="quiet">Played</span>
        <span class="mono">{{ frameRange(...range.played.value) }}</span>
        <button class="plain word" v-bind="withKey('A closer look', 'rangeFirst')" @click="range.begin(frame)">
          From here
        </button>
        <button class="plain word" v-bind="withKey('A closer look', 'rangeLast')" @click="range.finish(frame)">
          To here
        </button>
        <button
          class="plain word"
          :disabled="!range.chosen.value"
          v-bind="withKey('A closer look', 'rangeAll')"
          @click="range.clear()"
        >
          All of it
        </button>
      </div>
    </div>
  </v-menu>
</template>

<style scoped>
.closer {
  display: grid;
  gap: 6px;
  padding: 10px 14px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  font-size: 14px;
}
label,
.range {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 26px;
}
</style>
