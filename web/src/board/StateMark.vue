<script setup lang="ts">
import type { State } from '@/stores/board'

/** The state of a rendition by its shape. The word beside it says the same. */
defineProps<{ state: State; kept?: boolean }>()
</script>

<template>
  <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" :class="['mark', state.replaceAll(' ', '-')]">
    <circle v-if="state === 'not yet'" cx="8" cy="8" r="1.6" class="full" />
    <path v-else-if="state === 'waiting'" d="M3 8h.1M8 8h.1M13 8h.1" stroke-width="2.6" />
    <path v-else-if="state === 'running'" d="M8 2.5a5.5 5.5 0 1 1-5.5 5.5M8 5v3l2 1.6" />
    <path v-else-if="state === 'good'" d="M2.8 8.6 6.4 12 13.2 4.2" stroke-width="1.9" />
    <path v-else-if="state === 'look'" d="M1.4 8Q8 1.6 14.6 8 8 14.4 1.4 8ZM8 6.1a1.9 1.9 0 1 1-.1 0" />
    <path v-else-if="state === 'wrong'" d="M3.6 3.6 12.4 12.4M12.4 3.6 3.6 12.4" stroke-width="1.9" />
    <path v-else-if="state === 'failed'" d="M8 1.8 14.6 13.6H1.4ZM8 6.2v3.6M8 11.6v.1" />
    <path v-else-if="state === 'out of date'" d="M13 8A5 5 0 1 1 8 3h3.2M8.6.8 11 3 8.6 5.4" />
    <template v-else>
      <rect x="1.5" y="1.5" width="13" height="13" rx="2.5" class="full" />
      <path d="M4.4 8.4 7 10.9 11.8 5.4" class="inside" stroke-width="1.8" />
    </template>
    <circle v-if="kept && state !== 'accepted'" cx="13.6" cy="13.6" r="1.9" class="full" />
  </svg>
</template>

<style scoped>
.mark { flex: none; fill: none; stroke: currentColor; stroke-width: 1.5; stroke-linecap: round; stroke-linejoin: round; }
.full { fill: currentColor; stroke: none; }
.inside { stroke: var(--panel); }
.wrong, .failed { color: var(--wrong); }
.not-yet, .waiting { color: var(--quiet); }
.accepted { color: var(--accent); }
</style>
