<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '@/api/client'
import { copyLink } from '@/shared/clipboard'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useRuns } from '@/stores/runs'
import { useFirstSteps } from './firstSteps'

const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ keys: []; preferences: [] }>()
const router = useRouter()
const library = useLibrary()
const cast = useCast()
const text = ref('')
const at = ref(0)
const field = ref<HTMLInputElement>()
const fittings = ref<Schemas['FittingSummary'][]>([])
const deliveries = ref<Schemas['DeliveryOut'][]>([])
const runs = useRuns()

watch(open, async (now) => {
  if (!now) return
  text.value = ''
  at.value = 0
  await nextTick()
  setTimeout(() => open.value && field.value?.focus(), 30) // unless it was closed again at once
  void runs.load().catch(() => {})
  void answer(client.GET('/api/deliveries/')).then(
    (rows) => (deliveries.value = rows),
    () => {},
  )
  fittings.value = await answer(client.GET('/api/fittings/')).catch(() => [])
})

interface Found {
  kind: string
  name: string
  go: () => void
}

const all = computed<Found[]>(() => [
  ...library.present.map((clip) => ({
    kind: 'clip',
    name: clip.name,
    go: () => router.push(`/library/clips/${clip.id}`),
  })),
  ...cast.present.map((character) => ({
    kind: 'character',
    name: character.name,
    go: () => router.push(`/cast?character=${character.id}`),
  })),
  ...fittings.value.map((fitting) => ({
    kind: 'fitting',
    name: `${fitting.skeleton} on ${fitting.character}`,
    go: () => router.push(`/fittings/${fitting.id}`),
  })),
  ...deliveries.value.map((delivery) => ({
    kind: 'delivery',
    name: delivery.name,
    go: () => router.push(`/delivery?delivery=${delivery.id}`),
  })),
  ...runs.history.map((run) => ({ kind: 'run', name: run.title, go: () => router.push(`/runs/${run.id}`) })),
  ...['Library', 'Cast', 'Fittings', 'Board', 'Delivery'].map((name) => ({
    kind: 'view',
    name,
    go: () => router.push(`/${name.toLowerCase()}`),
  })),
  { kind: 'view', name: 'Call sheet', go: () => router.push('/callsheet') },
  { kind: 'view', name: 'Call sheet on paper', go: () => router.push('/callsheet/print') },
  { kind: 'view', name: 'Sources', go: () => router.push('/library/sources') },
  { kind: 'view', name: 'Ensembles', go: () => router.push('/ensembles') },
  { kind: 'view', name: 'Patterns', go: () => router.push('/fittings/patterns') },
  { kind: 'view', name: 'Review', go: () => router.push('/review') },
  { kind: 'view', name: 'Runs', go: () => router.push('/runs') },
  { kind: 'view', name: 'New delivery', go: () => router.push('/delivery/new') },
  { kind: 'view', name: 'Intake', go: () => router.push('/library/intake') },
  { kind: 'command', name: 'Preferences: day and night, drawing, time, pointer', go: () => emit('preferences') },
  { kind: 'command', name: 'Copy the link to what is shown', go: () => void copyLink() },
  { kind: 'command', name: 'Show the keys', go: () => emit('keys') },
  { kind: 'command', name: 'Show the first steps again', go: () => void useFirstSteps().begin() },
])
const found = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return all.value
    .filter((match) => words.every((word) => `${match.name} ${match.kind}`.toLowerCase().includes(word)))
    .slice(0, 12)
})
watch(text, () => (at.value = 0))

function choose(match?: Found) {
  if (!match) return
  open.value = false
  match.go()
}
function onKey(event: KeyboardEvent) {
  const count = found.value.length
  if (event.key === 'ArrowDown') at.value = (at.value + 1) % Math.max(1, count)
  else if (event.key === 'ArrowUp') at.value = (at.value + count - 1) % Math.max(1, count)
  else if (event.key === 'Enter') choose(found.value[at.value])
  else return
  event.preventDefault()
}
</script>

<template>
  <v-dialog v-model="open" max-width="560" aria-label="Find">
    <v-card class="card">
      <input
        ref="field"
        v-model="text"
        aria-label="Find a clip, character, fitting, delivery, run or view"
        placeholder="Find a clip, character, fitting, delivery, run or view"
        @keydown="onKey"
      />
      <ul role="listbox" aria-label="Found">
        <li v-for="(match, n) in found" :key="match.kind + match.name + n" role="option" :aria-selected="n === at">
          <button class="plain" :class="{ here: n === at }" @click="choose(match)">
            <span>{{ match.name }}</span><span class="quiet">{{ match.kind }}</span>
          </button>
        </li>
        <li v-if="!found.length" class="quiet none">Nothing has this name.</li>
      </ul>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 8px;
  background: var(--panel);
}
input {
  width: 100%;
  padding: 10px 12px;
  font: inherit;
  font-size: 17px;
  border: 0;
  border-bottom: 1px solid var(--hairline);
  color: inherit;
  background: none;
  outline: none;
}
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li button {
  display: flex;
  width: 100%;
  justify-content: space-between;
  padding: 6px 12px;
  border-radius: 3px;
}
li button.here,
li button:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.none {
  padding: 6px 12px;
}
</style>
