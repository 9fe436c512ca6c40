<script setup lang="ts">
import { useElementVisibility } from '@vueuse/core'
import { ref, shallowRef, watch } from 'vue'

import { answer, client } from '@/api/client'
import PlateInk from '@/features/library/PlateInk.vue'
import { frameNumber } from '@/shared/units'
import type { Plate } from '@/stores/library'

/** The plate of a stretch of a clip's take, fetched when it comes into view. */
const props = defineProps<{ clip: number; first: number; last: number; name: string }>()
const root = ref<HTMLElement>()
const seen = useElementVisibility(root, { rootMargin: '120px' })
const plate = shallowRef<Plate | null>(null)
const failed = ref(false)
watch(
  seen,
  async (now) => {
    if (!now || plate.value || failed.value) return
    const params = { path: { clip_id: props.clip }, query: { first: props.first, last: props.last } }
    try {
      plate.value = await answer(client.GET('/api/library/clips/{clip_id}/take/plate', { params }))
    } catch {
      failed.value = true
    }
  },
  { immediate: true },
)
</script>

<template>
  <button ref="root" class="plain" :aria-label="`Show ${name}, from frame ${frameNumber(first)}`">
    <span v-if="failed" class="quiet">Its plate could not be fetched.</span>
    <PlateInk v-else :plate="plate" :name="name" />
  </button>
</template>

<style scoped>
button {
  display: block;
  width: 100%;
  height: 64px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  overflow: hidden;
}
button:hover {
  border-color: var(--ink);
}
</style>
