<script setup lang="ts">
import { useRouter } from 'vue-router'

import NextClip from '@/features/splices/NextClip.vue'
import { spliceClips } from '@/features/splices/open'
import { labelOf, SHORTCUTS } from '@/shared/shortcuts/shortcuts'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useMessages } from '@/stores/messages'
import { VIEWS } from './stances'

/** What is on the stage, and how it is looked at. */
defineProps<{
  clip: { id: number; name: string }
  clips: { id: number; name: string }[]
  skeleton: number
  character: string
  stance: boolean
  /** Where the review of this result is, for whoever came from there. */
  review: string
}>()
const backKey = labelOf(SHORTCUTS.Fitting.shortcuts.review)
const messages = useMessages()
const router = useRouter()
const layout = defineModel<'beside' | 'over'>('layout', { required: true })
const mesh = defineModel<boolean>('mesh', { required: true })
const bones = defineModel<boolean>('bones', { required: true })
const view = defineModel<(typeof VIEWS)[number]>('view', { required: true })
const rollMarkers = defineModel<boolean>('rollMarkers', { required: true })
const emit = defineEmits<{ choose: [clip: number] }>()
</script>

<template>
  <div class="bar">
    <router-link v-if="review" class="word" :to="review" :title="`Back to the review, at this frame (${backKey})`"
      >Back to review</router-link
    >
    <h1 :title="`${clip.name} by ${character}`">
      <v-menu>
        <template #activator="{ props: menu }"
          ><button class="plain word" v-bind="menu">{{ clip.name }}</button></template
        >
        <v-list density="compact"
          ><v-list-item
            v-for="other in clips"
            :key="other.id"
            :title="other.name"
            :active="other.id === clip.id"
            @click="emit('choose', other.id)"
        /></v-list>
      </v-menu>
      <span class="quiet"> by </span>{{ character }}
    </h1>
    <NextClip :skeleton="skeleton" @add="spliceClips(router, [clip.id, $event]).catch(messages.fail)" />
    <template v-if="stance">
      <div class="choice" role="group" aria-label="What is seen of the two">
        <button v-for="name in VIEWS" :key="name" :aria-pressed="view === name" @click="view = name">{{ name }}</button>
      </div>
      <div class="choice">
        <button
          :aria-pressed="rollMarkers"
          v-bind="withKey('Stance', 'rollMarkers', 'Feathers on the quills show how bones are rolled')"
          @click="rollMarkers = !rollMarkers"
        >
          Feathers
        </button>
      </div>
    </template>
    <div class="choice" role="group" aria-label="How the two stand">
      <button
        v-bind="withKey('Fitting', 'layout', 'Side by side')"
        :aria-pressed="layout === 'beside'"
        @click="layout = 'beside'"
      >
        Side by side
      </button>
      <button
        v-bind="withKey('Fitting', 'layout', 'Laid over each other')"
        :aria-pressed="layout === 'over'"
        @click="layout = 'over'"
      >
        Laid over
      </button>
    </div>
    <div class="choice" role="group" aria-label="What is drawn of the character">
      <button v-bind="withKey('Fitting', 'mesh')" :aria-pressed="mesh" @click="mesh = !mesh">Mesh</button>
      <button v-bind="withKey('Fitting', 'bones')" :aria-pressed="bones" @click="bones = !bones">Bones</button>
    </div>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 6px 8px;
  padding: 10px 18px;
  flex-wrap: wrap;
}
.bar .choice button {
  padding: 3px 8px;
}
/* The title gives way before the choices do. */
.bar h1 {
  flex: 1 1 9rem;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.bar h1 button:focus-visible {
  outline-offset: -2px;
}
</style>
