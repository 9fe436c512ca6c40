<script setup lang="ts">
import { ref } from 'vue'

import { useMessages } from '@/stores/messages'
import { useSources, type Source } from '@/stores/sources'

/** Which stage is watched; another one is told by its address. */
const props = defineProps<{ stages: Source[]; here: Source | undefined }>()
const emit = defineEmits<{ choose: [id: number] }>()
const sources = useSources()
const messages = useMessages()
const location = ref('')
const busy = ref(false)
const adding = ref(false)

async function add() {
  if (!location.value.trim() || busy.value) return
  busy.value = true
  try {
    const wanted = { kind: 'stage' as const, location: location.value, name: '', moves: false, accepts: false }
    emit('choose', (await sources.add(wanted)).id)
    location.value = ''
    adding.value = false
  } catch (problem) {
    messages.fail(problem)
  }
  busy.value = false
}
const choose = (event: Event) => {
  const value = (event.target as HTMLSelectElement).value
  adding.value = value === 'other'
  if (value !== 'other') emit('choose', Number(value))
}
</script>

<template>
  <div class="stages">
    <label v-if="props.stages.length"
      >Stage
      <select :value="adding ? 'other' : here?.id" @change="choose">
        <option v-for="stage in stages" :key="stage.id" :value="stage.id">{{ stage.name }}</option>
        <option value="other">another one …</option>
      </select>
    </label>
    <form v-if="adding || !stages.length" @submit.prevent="add">
      <p v-if="!stages.length" class="quiet">
        A stage streams motion while it is captured. Say where; what it has to send is in the docs, “Sources of files”.
      </p>
      <label
        >Its address
        <input v-model="location" class="mono" placeholder="ws://…" />
      </label>
      <v-btn type="submit" class="doing" :disabled="busy || !location.trim()">Connect</v-btn>
    </form>
  </div>
</template>

<style scoped>
.stages,
form {
  display: grid;
  gap: 9px;
  justify-items: start;
  font-size: 14px;
}
label {
  display: grid;
  gap: 3px;
  width: 100%;
}
select,
input {
  min-height: 30px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
}
</style>
