<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'

/** Postures and clips that show at once how the figure moves. */
const props = defineProps<{ id: number; version: number; frame: number }>()
const emit = defineEmits<{ go: [frame: number] }>()
const clip = defineModel<number | null>('clip', { required: true })
const library = useLibrary()
const messages = useMessages()
const postures = ref<Schemas['RigPostures'] | null>(null)
watch(
  () => props.version,
  async () => {
    const params = { params: { path: { character_id: props.id } } }
    postures.value = await answer(client.GET('/api/rigs/{character_id}/postures', params)).catch((problem) => {
      messages.fail(problem)
      return postures.value
    })
  },
  { immediate: true },
)
/** The posture that stands, or is being come to. */
const here = computed(() => postures.value?.postures.find(({ frame }) => frame >= props.frame - 4)?.name)
function stand(frame: number) {
  clip.value = null
  emit('go', frame)
}
</script>

<template>
  <h2>Postures</h2>
  <p class="quiet note">Take one, or play through all of them.</p>
  <div class="postures" role="group" aria-label="Postures">
    <button
      v-for="row in postures?.postures"
      :key="row.name"
      class="plain"
      :aria-pressed="clip === null && here === row.name"
      @click="stand(row.frame)"
    >
      {{ row.name }}
    </button>
  </div>
  <h2>Motion of the library</h2>
  <p v-if="!library.present.length" class="quiet note">
    There is no motion yet; <router-link to="/library">bring in some</router-link>.
  </p>
  <ul>
    <li v-for="row in library.present" :key="row.id">
      <button class="plain clip" :aria-pressed="clip === row.id" @click="clip = row.id">
        <span>{{ row.name }}</span><span class="mono quiet">{{ row.seconds.toFixed(1) }} s</span>
      </button>
    </li>
  </ul>
</template>

<style scoped>
h2 {
  font-size: 1rem;
}
.note {
  margin: 0;
  font-size: 14px;
}
.postures {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.postures button,
.clip {
  min-height: 26px;
  padding: 2px 6px;
  border-left: 2px solid transparent;
  text-align: left;
  font-size: 14px;
}
.clip {
  display: flex;
  justify-content: space-between;
  width: 100%;
}
button:hover {
  background: rgb(var(--v-theme-surface-variant));
}
button[aria-pressed='true'] {
  border-color: var(--accent);
  font-weight: 500;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
