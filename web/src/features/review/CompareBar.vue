<script setup lang="ts">
import { computed } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { frameNumber, quantity } from '@/shared/units'
import type { Rendition } from '@/stores/renditions'
import type { Against } from './useReviewStage'

/**
 * What a result is looked at beside, how the two stand, and where they are furthest apart. apart: centimetres in each
 * frame.
 */
const props = defineProps<{ rendition: Rendition; apart: number[] }>()
const against = defineModel<Against>('against', { required: true })
const beside = defineModel<boolean>('beside', { required: true })
const mesh = defineModel<boolean>('mesh', { required: true })
const bones = defineModel<boolean>('bones', { required: true })
const emit = defineEmits<{ frame: [frame: number] }>()
const earlier = computed(() => props.rendition.revisions.filter(({ id }) => id !== props.rendition.newest?.id))
const furthest = computed(() => {
  const most = Math.max(...props.apart)
  return props.apart.length ? { most, frame: props.apart.indexOf(most) } : null
})
</script>

<template>
  <div class="bar">
    <span class="quiet">beside</span>
    <div class="choice" role="group" aria-label="What it is compared with">
      <button :aria-pressed="against === 'source'" @click="against = 'source'">Source</button>
      <button
        v-for="result in earlier"
        :key="result.id"
        :aria-pressed="against === result.id"
        @click="against = result.id"
      >
        {{ result.id === rendition.accepted_id ? 'Accepted' : 'Earlier' }}, result {{ result.number }}
      </button>
      <button :aria-pressed="against === 'cast'" @click="against = 'cast'">All who perform it</button>
    </div>
    <div class="choice" role="group" aria-label="How they stand">
      <button v-bind="withKey('Review', 'layout', 'Side by side')" :aria-pressed="beside" @click="beside = true">
        Side by side
      </button>
      <button v-bind="withKey('Review', 'layout', 'Over each other')" :aria-pressed="!beside" @click="beside = false">
        Over each other
      </button>
    </div>
    <label v-bind="withKey('Review', 'mesh')"><input v-model="mesh" type="checkbox" /> Mesh</label>
    <label v-bind="withKey('Review', 'bones')"><input v-model="bones" type="checkbox" /> Bones</label>
    <span v-if="furthest" class="quiet">
      furthest apart <span class="mono">{{ quantity(furthest.most, 'cm') }}</span> at
      <button class="plain word mono" @click="emit('frame', furthest.frame)">
        frame {{ frameNumber(furthest.frame) }}
      </button>
    </span>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 18px 8px;
  flex-wrap: wrap;
  background: var(--panel);
  font-size: 14px;
  border-bottom: 1px solid var(--hairline);
}
label {
  display: inline-flex;
  gap: 5px;
  align-items: center;
  min-height: 24px;
}
</style>
