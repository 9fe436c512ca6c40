<script setup lang="ts">
import { computed } from 'vue'

import { withUnit, type Measures } from './useSettling'

/** What a control does to the clip in view: the measure through rotations alone, and now. */
const props = defineProps<{ measures: Measures | null; kind: string }>()
const row = computed(() => props.measures?.kinds.find((measured) => measured.kind === props.kind))
/** The unit stands once, behind the second. */
const numberOf = (value: number) => withUnit(value, row.value!.unit).replace(/ ?[^\d.]+$/, '')
</script>

<template>
  <span v-if="row" :title="`${kind}: the worst of this clip, beyond the source's: through rotations alone, and now`">
    <span class="quiet">{{ kind === 'foot slide' ? 'slide' : kind }}</span>
    <span class="mono"
      >{{ numberOf(row.before) }} → <b>{{ withUnit(row.after, row.unit) }}</b></span
    >
  </span>
</template>

<style scoped>
.mono {
  font-size: 12px;
}
</style>
