<script setup lang="ts">
import { computed, ref } from 'vue'

import ClipPlate from '@/features/library/ClipPlate.vue'
import { useSplices } from '@/stores/splices'
import type { Entry } from './sheet'

/** The clip that a row is of, with its plate; of a splice, its parts. */
const props = defineProps<{ entry: Entry }>()
const splices = useSplices()
const splice = computed(() => splices.ofClip(props.entry.clips[0].id))
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
      ><span v-if="splice" class="quiet parts" :title="splice.parts.join(', then ')"
        >{{ splice.outdated.length ? 'out of date: ' : '' }}{{ splice.parts.join(' · ') }}</span
      ><span v-else class="quiet mono">{{ entry.clips[0].seconds.toFixed(1) }} s</span></span
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
.parts {
  font-size: 12.5px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
