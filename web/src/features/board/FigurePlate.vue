<script setup lang="ts">
import { shallowRef, watch } from 'vue'

import PlateDrawing from '@/features/library/PlateDrawing.vue'
import { useCast, type Character } from '@/stores/cast'
import type { Plate } from '@/stores/library'

/** A character as it rests, inked. */
const props = defineProps<{ character: Character }>()
const plate = shallowRef<Plate | null>(null)
watch(
  () => [props.character.id, props.character.revision],
  async () => {
    plate.value = await useCast()
      .plate(props.character)
      .catch(() => null)
  },
  { immediate: true },
)
</script>

<template>
  <span class="figure"><PlateDrawing :plate="plate" :name="character.name" :pose="0" /></span>
</template>

<style scoped>
.figure {
  width: 92px;
  height: 56px;
  display: block;
}
</style>
