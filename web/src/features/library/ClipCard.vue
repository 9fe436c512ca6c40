<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { openFitting } from '@/features/fitting/open'
import { likeliest } from '@/stores/bodies'
import { useCast } from '@/stores/cast'
import { useMessages } from '@/stores/messages'
import type { Clip } from '@/stores/library'
import { useSplices } from '@/stores/splices'
import ClipPlate from './ClipPlate.vue'

const props = defineProps<{ clip: Clip; selected: boolean; picking: boolean; marked: boolean }>()
const emit = defineEmits<{ pick: [shift: boolean] }>()
const cast = useCast()
const router = useRouter()
const hovered = ref(false)
const splice = computed(() => useSplices().ofClip(props.clip.id))
/** A splice is opened as one. */
const path = computed(() => (splice.value ? `/splices/${splice.value.id}` : `/library/clips/${props.clip.id}`))
const perform = (character: number) => openFitting(router, props.clip.id, character).catch(useMessages().fail)
const travel = (clip: Clip) => (clip.travel < 0.05 ? 'stays' : `${(clip.travel * 100).toFixed(0)} cm`)
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
    <div class="facts">
      <router-link class="name way" :to="path" :title="clip.name">{{ clip.name }}</router-link>
      <span class="mono quiet"
        >{{ clip.frames }} f · {{ clip.seconds.toFixed(2) }} s · {{ +clip.fps.toFixed(3) }} fps · {{ travel(clip)
        }}{{ clip.loop ? ' · ⟳ loops' : '' }}</span
      >
    </div>
    <span v-if="splice" class="tags quiet" :title="splice.parts.join(', then ')"
      >{{ splice.outdated.length ? 'out of date, ' : '' }}spliced of {{ splice.parts.length }}</span
    >
    <span v-else-if="clip.tags.length" class="tags quiet">{{ clip.tags.join(', ') }}</span>
    <v-btn v-if="cast.present.length === 1" size="small" @click="perform(cast.present[0].id)"
      >See it on {{ cast.present[0].name }}</v-btn
    >
    <v-menu v-else-if="cast.present.length">
      <template #activator="{ props: menu }"><v-btn size="small" v-bind="menu">See it on …</v-btn></template>
      <v-list density="compact">
        <v-list-item
          v-for="{ character, same } in likeliest(clip)"
          :key="character.id"
          :title="character.name"
          :subtitle="same ? undefined : 'another body'"
          @click="perform(character.id)"
        />
      </v-list>
    </v-menu>
    <router-link v-else to="/cast" class="quiet">Bring in a character</router-link>
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
  grid-template-rows: minmax(0, 1fr) auto;
  gap: 6px 12px;
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
  accent-color: var(--accent);
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
.facts {
  display: grid;
  min-width: 0;
}
.name {
  font-weight: 500;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.facts .mono {
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
