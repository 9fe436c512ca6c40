<script setup lang="ts">
import { ref } from 'vue'

import type { Clip } from '@/stores/library'
import ClipName from './ClipName.vue'
import ClipPlate from './ClipPlate.vue'
import SeeItOn from './SeeItOn.vue'
import { travel, useClipPath } from './clipFacts'

const props = defineProps<{ clip: Clip; selected: boolean; picking: boolean; marked: boolean }>()
const emit = defineEmits<{ pick: [shift: boolean] }>()
const hovered = ref(false)
const { splice, path } = useClipPath(() => props.clip.id)
</script>

<template>
  <article class="clip" :class="{ selected, marked }" @mouseenter="hovered = true" @mouseleave="hovered = false">
    <input
      type="checkbox"
      class="tick"
      :class="{ seen: picking || hovered }"
      :checked="selected"
      :aria-label="`Select ${clip.name}`"
      @click="emit('pick', ($event as MouseEvent).shiftKey)"
    />
    <router-link class="picture" :to="path" :aria-label="`Open ${clip.name}`">
      <ClipPlate :clip="clip" :playing="hovered" />
    </router-link>
    <ClipName :clip="clip" class="name way" />
    <span v-if="splice" class="tags quiet" :title="splice.parts.join(', then ')"
      >{{ splice.outdated.length ? 'out of date, ' : '' }}spliced of {{ splice.parts.length }}</span
    >
    <span v-else-if="clip.tags.length" class="tags quiet">{{ clip.tags.join(', ') }}</span>
    <SeeItOn :clip="clip" />
    <span class="mono quiet facts" :title="clip.loop ? 'It loops' : undefined"
      >{{ clip.frames }} f · {{ clip.seconds.toFixed(2) }} s · {{ +clip.fps.toFixed(3) }} fps · {{ travel(clip)
      }}{{ clip.loop ? ' · ⟳' : '' }}</span
    >
  </article>
</template>

<style scoped>
.clip {
  contain: layout paint;
  position: relative;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 4px;
  padding: 10px 12px;
  display: grid;
  grid-template-columns: 1fr auto auto;
  grid-template-rows: minmax(0, 1fr) auto auto;
  gap: 3px 12px;
  align-items: center;
  min-width: 0;
}
.clip.selected,
.clip.marked {
  border-color: var(--accent);
}
.tick {
  position: absolute;
  z-index: 1;
  left: 8px;
  top: 8px;
  width: 20px;
  height: 20px;
  opacity: 0;
}
.tick.seen,
.tick:checked,
.tick:focus-visible {
  opacity: 1;
}
.picture {
  grid-column: 1 / -1;
  height: 100%;
  min-height: 0;
  display: block;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.facts {
  grid-column: 1 / -1;
  font-size: 12.5px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.tags {
  font-size: 12.5px;
  max-width: 110px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
