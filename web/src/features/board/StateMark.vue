<script setup lang="ts">
import type { State } from '@/stores/board'
import { MARKS } from './marks'

/** The state of a rendition by its shape. The word beside it says the same. */
defineProps<{ state: State; kept?: boolean }>()
</script>

<template>
  <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" :class="['mark', state.replace(/ /g, '-')]">
    <path :d="MARKS[state].d" :class="{ full: MARKS[state].full }" :stroke-width="MARKS[state].width" />
    <path v-if="MARKS[state].inside" :d="MARKS[state].inside" class="inside" stroke-width="1.8" />
    <circle v-if="kept && state !== 'accepted'" cx="13.6" cy="13.6" r="1.9" class="full" />
  </svg>
</template>

<style scoped>
.mark {
  flex: none;
  fill: none;
  stroke: currentColor;
  stroke-width: 1.5;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.full {
  fill: currentColor;
  stroke: none;
}
.inside {
  stroke: var(--panel);
}
.wrong,
.failed {
  color: var(--wrong);
}
.not-yet,
.waiting {
  color: var(--quiet);
}
.accepted {
  color: var(--accent);
}
</style>
