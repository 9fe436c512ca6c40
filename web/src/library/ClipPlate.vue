<script setup lang="ts">
import { ref, watch } from 'vue'

import { useLibrary, type Clip, type Plate } from '@/stores/library'
import PlateDrawing from './PlateDrawing.vue'

/** The plate of a clip of the library, fetched when it is needed. */
const props = defineProps<{ clip: Clip; playing?: boolean; pose?: number }>()
const plate = ref<Plate | null>(null)
const failed = ref(false)

watch(
  () => [props.clip.id, props.clip.revision],
  async () => {
    failed.value = false
    plate.value = await useLibrary().plate(props.clip).catch(() => {
      failed.value = true
      return null
    })
  },
  { immediate: true },
)
</script>

<template>
  <span v-if="failed" class="quiet">The plate could not be fetched.</span>
  <PlateDrawing v-else :plate="plate" :name="clip.name" :seconds="clip.seconds" :playing="playing" :pose="pose" />
</template>
