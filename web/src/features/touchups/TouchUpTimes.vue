<script setup lang="ts">
import { computed } from 'vue'

import OffsetGraph from './OffsetGraph.vue'
import TouchUpStrip from './TouchUpStrip.vue'
import type { TouchUps } from './useTouchUps'

/** Under the ribbon: the keys of the layer that is chosen, and the offset of the touch-up in hand. */
const props = defineProps<{ touchups: TouchUps; frames: number; frame: number; fps: number }>()
defineEmits<{ frame: [frame: number] }>()
/** Of the chosen key, else of the chosen bone. */
const graphed = computed(() => {
  if (!props.touchups.graph.value) return null
  const number = props.touchups.keys.value[0]?.[0] ?? props.touchups.own.value[0]?.number
  const touchup = number === undefined ? undefined : props.touchups.layer.value?.touchups[number]
  return touchup ? { touchup, number: number! } : null
})
</script>

<template>
  <TouchUpStrip :touchups="touchups" :frames="frames" :frame="frame" :fps="fps" @frame="$emit('frame', $event)" />
  <OffsetGraph v-if="graphed" v-bind="graphed" :touchups="touchups" :frames="frames" :frame="frame" />
</template>
