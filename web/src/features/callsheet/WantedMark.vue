<script setup lang="ts">
import type { WantedState } from '@/stores/callSheet'
import { WANTED_MARKS } from './marks'

/** What is still to do, by its shape. The word beside it says the same. */
defineProps<{ state: WantedState }>()
</script>

<template>
  <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" :class="['mark', state.replace(' ', '-')]">
    <path
      :d="WANTED_MARKS[state].d"
      :class="{ full: WANTED_MARKS[state].full }"
      :stroke-dasharray="WANTED_MARKS[state].dashed ? '2.4 2.2' : undefined"
    />
    <path v-if="WANTED_MARKS[state].inside" :d="WANTED_MARKS[state].inside" class="inside" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
  fill: none;
  stroke: currentColor;
  stroke-width: 1.4;
}
.full {
  fill: currentColor;
}
.done .inside {
  stroke: var(--panel);
  stroke-width: 1.8;
}
.in-work .inside {
  fill: currentColor;
}
.missing {
  color: var(--wrong);
}
.done {
  color: var(--accent);
}
</style>
