<script setup lang="ts">
import { useRouter } from 'vue-router'

import { openFitting } from '@/features/fitting/open'
import { likeliest } from '@/stores/bodies'
import { useCast } from '@/stores/cast'
import type { Clip } from '@/stores/library'
import { useMessages } from '@/stores/messages'

/** Have a figure of the cast perform a clip. */
const props = defineProps<{ clip: Clip }>()
const cast = useCast()
const router = useRouter()
const perform = (character: number) => openFitting(router, props.clip.id, character).catch(useMessages().fail)
</script>

<template>
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
</template>
