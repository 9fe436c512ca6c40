<script setup lang="ts">
import { ref } from 'vue'

import { useMessages } from '@/stores/messages'
import { useSources, type Source } from '@/stores/sources'

/** What is to be watched from now on. */
const emit = defineEmits<{ added: [id: number] }>()
const sources = useSources()
const messages = useMessages()
const kind = ref<Source['kind']>('folder')
const ASKED: Record<Source['kind'], [label: string, example: string, does: string]> = {
  folder: ['Its whole path, on the machine of the studio', '/home/…/takes', 'Watch it'],
  address: ['Its address', 'https://…/index.json', 'Watch it'],
  stage: ['Its address', 'ws://…', 'Connect'],
}
const location = ref('')
const moves = ref(false)
const busy = ref(false)

async function add() {
  if (!location.value.trim() || busy.value) return
  busy.value = true
  try {
    const wanted = { kind: kind.value, location: location.value, name: '', moves: moves.value, accepts: false }
    const made = await sources.add(wanted)
    location.value = ''
    emit('added', made.id)
  } catch (problem) {
    messages.fail(problem)
  }
  busy.value = false
}
</script>

<template>
  <form class="new" aria-label="Watch another source" @submit.prevent="add">
    <div class="choice" role="group" aria-label="What is watched">
      <button type="button" :aria-pressed="kind === 'folder'" @click="kind = 'folder'">A folder</button>
      <button type="button" :aria-pressed="kind === 'address'" @click="kind = 'address'">An address</button>
      <button type="button" :aria-pressed="kind === 'stage'" @click="kind = 'stage'">A live stage</button>
    </div>
    <label
      >{{ ASKED[kind][0] }}
      <input v-model="location" class="mono" :placeholder="ASKED[kind][1]" />
    </label>
    <label v-if="kind === 'folder'" class="tick"
      ><input v-model="moves" type="checkbox" />put files aside once they are in the intake</label
    >
    <v-btn type="submit" class="doing" :disabled="busy || !location.trim()">{{ ASKED[kind][2] }}</v-btn>
  </form>
</template>

<style scoped>
.new {
  display: grid;
  gap: 9px;
  padding: 12px 16px 16px;
  border-top: 1px solid var(--hairline);
  justify-items: start;
  font-size: 14px;
}
.new label:not(.tick) {
  display: grid;
  gap: 3px;
  width: 100%;
}
.tick {
  display: flex;
  gap: 7px;
  align-items: center;
  min-height: 24px;
}
.mono {
  min-height: 30px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
}
.mono::placeholder {
  color: var(--quiet);
  opacity: 1;
}
</style>
