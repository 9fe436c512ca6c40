<script setup lang="ts">
import { onBeforeUnmount, shallowRef as ref, watch } from 'vue'

import { useLibrary, type Clip, type Plate } from '@/stores/library'
import PlateDrawing from './PlateDrawing.vue'
import PlateInk from './PlateInk.vue'

/** The plate of a clip of the library, fetched when it is needed. */
const props = defineProps<{ clip: Clip; playing?: boolean; pose?: number }>()
const plate = ref<Plate | null>(null)
const failed = ref(false)

let waiting: ReturnType<typeof setTimeout> | undefined
const library = useLibrary()
watch(
  () => [props.clip.id, props.clip.revision],
  () => {
    failed.value = false
    clearTimeout(waiting)
    plate.value = library.plateAtHand(props.clip)
    // Cards that only fly by while somebody scrolls ask for nothing.
    if (!plate.value) waiting = setTimeout(fetch, 150)
  },
  { immediate: true },
)
async function fetch() {
  plate.value = await library.plate(props.clip).catch(() => {
    failed.value = true
    return null
  })
}
onBeforeUnmount(() => clearTimeout(waiting))
</script>

<template>
  <span v-if="failed" class="quiet">The plate could not be fetched.</span>
  <PlateDrawing
    v-else-if="playing || pose !== undefined"
    :plate="plate"
    :name="clip.name"
    :seconds="clip.seconds"
    :playing="playing"
    :pose="pose"
  />
  <PlateInk v-else :plate="plate" :name="clip.name" />
</template>
