<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { UNLIMITED, withLimit, type Limits } from './candidateRange'

/** In which frames of either clip candidates are looked for, where not in the usual ones. */
const props = defineProps<{ names: [string, string]; frames: [number, number]; everywhere: boolean }>()
const limits = defineModel<Limits>({ required: true })
const field = (label: string, least: number, most: number, empty: string): NumberField => ({
  path: label,
  label,
  type: 'frame',
  unit: '',
  least,
  most,
  step: 1,
  empty,
})
/** What is looked through where nothing is said: the last half of the one clip and the first half of the other. */
const usual = [
  ['half', 'end'],
  ['start', 'half'],
]
const sides = computed(() =>
  props.names.map((name, side) => {
    const [first, last] = limits.value[side]
    const end = props.frames[side] - 1
    const whole = props.everywhere || first !== null || last !== null
    const [begins, ends] = whole ? ['start', 'end'] : usual[side]
    return {
      name,
      fields: [
        { value: first, field: field(side ? 'into' : 'out of', 0, last ?? end, begins) },
        { value: last, field: field('to', first ?? 0, end, ends) },
      ],
    }
  }),
)
const said = computed(() => limits.value.flat().some((frame) => frame !== null))
const set = (side: number, which: number, frame: number | null) =>
  (limits.value = withLimit(limits.value, side, which, frame))
</script>

<template>
  <div class="range" role="group" aria-label="Frames in which candidates are looked for">
    <div v-for="(side, n) in sides" :key="n" class="side">
      <NumberBox
        v-for="(each, which) in side.fields"
        :key="which"
        :field="each.field"
        :value="each.value"
        :of="side.name"
        @keep="set(n, which, $event)"
      />
    </div>
    <button v-if="said" class="plain word" @click="limits = UNLIMITED">As usual</button>
  </div>
</template>

<style scoped>
.range {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
  padding: 8px 14px;
  font-size: 13px;
}
.side {
  display: flex;
  gap: 6px;
}
/* Both clips stand in a line. */
.side :deep(input) {
  width: 3.3rem;
}
</style>
