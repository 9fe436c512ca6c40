<script setup lang="ts">
/** Centimetres on the floor of a hand, from its wrist on. */
defineProps<{ id: string; x: number; y: number; size: number }>()
</script>

<template>
  <pattern :id="id" :x="x" :y="y" :width="size" :height="size" patternUnits="userSpaceOnUse">
    <path class="rule" :d="`M0 0H${size}M0 0V${size}`" />
  </pattern>
  <rect class="floor" width="100%" height="100%" :fill="`url(#${id})`" />
</template>

<style scoped>
.rule {
  stroke: var(--ink);
  stroke-opacity: 0.12;
  fill: none;
}
.floor {
  pointer-events: none;
}
</style>
