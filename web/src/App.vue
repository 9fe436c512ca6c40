<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { defineAsyncComponent, onMounted, ref } from 'vue'
import { useRoute, useRouter, type RouteLocationNormalized } from 'vue-router'

import ContextMenu from './shared/frame/ContextMenu.vue'
import ConnectionNote from './shared/frame/ConnectionNote.vue'
import DropPlace from './shared/frame/DropPlace.vue'
import FirstSteps from './shared/frame/FirstSteps.vue'
import Finder from './shared/frame/Finder.vue'
import KeyList from './shared/frame/KeyList.vue'
import MessageList from './shared/frame/MessageList.vue'
import TopBar from './shared/frame/TopBar.vue'
import { useFocus } from './shared/frame/useFocus'
import { useShortcuts } from './shared/shortcuts/useShortcuts'
import { inUnits } from './shared/units'
import { useCast } from './stores/cast'
import { useChanges } from './stores/changes'
import { useConnection } from './stores/connection'
import { useIntake } from './stores/intake'
import { useLibrary } from './stores/library'
import { useMessages } from './stores/messages'
import { useRuns } from './stores/runs'
import { useSplices } from '@/stores/splices'

// It knows of the stage, which is large and not needed before.
const PreferencesDialog = defineAsyncComponent(() => import('./shared/frame/PreferencesDialog.vue'))

const finding = ref(false)
const keys = ref(false)
const preferences = ref(false)
const messages = useMessages()
const connection = useConnection()
const router = useRouter()
const route = useRoute()
const content = ref<HTMLElement>()
useFocus(content)

useShortcuts('Everywhere', {
  find: () => (finding.value = true),
  keys: () => (keys.value = true),
  preferences: () => (preferences.value = true),
})
useEventListener('keydown', (event) => {
  if (event.key === 'Escape') finding.value = keys.value = preferences.value = false
})
useChanges().follow()
useChanges().on(['library'], (changes) => useLibrary().follow(changes).catch(messages.fail))
useChanges().on(['splices', 'library'], () => useSplices().load().catch(messages.fail))
useChanges().on(['cast'], () => useCast().load().catch(messages.fail))
useChanges().on(['ingest'], (changes) => useIntake().follow(changes))
useChanges().on(['renditions', 'library', 'cast', 'fittings', 'callsheet'], () => useRuns().refresh())
onMounted(async () => {
  void useRuns().refresh()
  void useIntake().refresh()
  await Promise.all([useLibrary().load(), useCast().load(), useSplices().load()]).catch(messages.fail)
})
/** Where somebody wants to go, while the part of the page that is there cannot be fetched. */
let wanted: RouteLocationNormalized | null = null
router.onError(async (problem, to) => {
  if (await connection.check()) wanted = to
  else void messages.fail(problem)
})
router.afterEach(() => (wanted = null))
connection.onReturn(() => wanted && router.push(wanted.fullPath))
</script>

<template>
  <v-app>
    <a class="skip" href="#content" @click.prevent="content?.focus()">To the content</a>
    <TopBar @find="finding = true" @keys="keys = true" />
    <FirstSteps />
    <main id="content" ref="content" tabindex="-1">
      <router-view v-slot="{ Component }">
        <component
          :is="Component"
          :key="String(route.name) + (route.meta.stays ? '' : String(route.params.id ?? ''))"
        />
      </router-view>
    </main>
    <p class="sr" role="status">{{ inUnits(messages.announced) }}</p>
    <ContextMenu />
    <ConnectionNote />
    <DropPlace />
    <MessageList />
    <Finder v-model="finding" @keys="keys = true" @preferences="preferences = true" />
    <KeyList v-model="keys" @preferences="preferences = true" />
    <PreferencesDialog v-if="preferences" v-model="preferences" />
  </v-app>
</template>
