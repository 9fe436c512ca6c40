<script setup lang="ts">
import type { ComponentPublicInstance } from 'vue'

import type { Stage } from '@/stage/stage'
import StageTools from './StageTools.vue'

/** The canvas that a stage draws on. What lies over it comes by the slot; listeners are the canvas's own. */
defineOptions({ inheritAttrs: false })
defineProps<{ label: string; loading?: string; stage?: Stage }>()
const canvas = defineModel<HTMLCanvasElement>('canvas')
const keep = (element: Element | ComponentPublicInstance | null) => {
  canvas.value = (element as HTMLCanvasElement | null) ?? undefined
}
</script>

<template>
  <div class="stage">
    <canvas :ref="keep" tabindex="-1" :aria-label="label" v-bind="$attrs"></canvas>
    <slot />
    <StageTools v-if="stage" :stage="stage" />
    <p v-if="loading" class="quiet loading" role="status">{{ loading }}</p>
  </div>
</template>

<style scoped>
.stage {
  position: relative;
  flex: 1;
  min-height: 160px;
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
  cursor: grab;
}
canvas:active {
  cursor: grabbing;
}
.loading {
  position: absolute;
  left: 18px;
  bottom: 10px;
}
</style>
