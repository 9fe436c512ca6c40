<script setup lang="ts">
import { ref } from 'vue'

import ClipPlate from '@/features/library/ClipPlate.vue'
import type { Entry } from './sheet'

/** The clip that a row is of, with its plate. */
defineProps<{ entry: Entry }>()
const emit = defineEmits<{ sweep: [event: MouseEvent] }>()
const pointed = ref(false)
</script>

<template>
  <button
    class="plain clip"
    :style="{ top: `${entry.top}px` }"
    :title="`Sweep the row of ${entry.clips[0].name}`"
    @click="emit('sweep', $event)"
    @mouseenter="pointed = true"
    @mouseleave="pointed = false"
  >
    <span class="plate"><ClipPlate :clip="entry.clips[0]" :playing="pointed" /></span>
    <span class="words"
      ><span class="name">{{ entry.clips[0].name }}</span
      ><span class="quiet mono">{{ entry.clips[0].seconds.toFixed(1) }} s</span></span
    >
  </button>
</template>

<style scoped>
.clip {
  position: absolute;
  left: 0;
  width: 272px;
  height: 56px;
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 10px 0 12px;
  background: var(--panel);
  border-right: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
}
.clip:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.plate {
  width: 116px;
  height: 50px;
  flex: none;
}
.words {
  min-width: 0;
  display: grid;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.mono {
  font-size: 12.5px;
}
</style>
