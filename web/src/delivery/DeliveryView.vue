<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import StateMark from '@/board/StateMark.vue'
import type { State } from '@/stores/board'
import { useMessages } from '@/stores/messages'

const messages = useMessages()
const rows = ref<Schemas['QueueRow'][] | null>(null)
const format = ref<'glb' | 'bvh' | 'dae' | 'usd'>('glb')
onMounted(async () => {
  rows.value = (await answer(client.POST('/api/renditions/queue', { body: { everything: true } })).catch(messages.fail)) ?? []
})
</script>

<template>
  <div class="view">
    <div v-if="rows && !rows.length" class="empty">
      <h1>Nothing is ready to deliver</h1>
      <p>Finished renditions are fetched here as files: the character with the motion, or the motion alone.</p>
      <v-btn class="doing" to="/board">Transfer clips on the board</v-btn>
    </div>
    <section v-else-if="rows" class="list">
      <div class="bar">
        <h1>Delivery</h1>
        <div class="choice" role="group" aria-label="Format">
          <button :aria-pressed="format === 'glb'" @click="format = 'glb'">Character and motion, .glb</button>
          <button :aria-pressed="format === 'dae'" @click="format = 'dae'">.dae</button>
          <button :aria-pressed="format === 'usd'" @click="format = 'usd'">.usd</button>
          <button :aria-pressed="format === 'bvh'" @click="format = 'bvh'">Motion alone, .bvh</button>
        </div>
      </div>
      <table>
        <thead><tr><th>file</th><th>clip</th><th>character</th><th>state</th><th></th></tr></thead>
        <tbody>
          <tr v-for="row in rows" :key="row.id">
            <td class="mono">{{ row.character }} {{ row.clip }}.{{ format }}</td>
            <td>{{ row.clip }}</td>
            <td>{{ row.character }}</td>
            <td><StateMark :state="row.state as State" /> {{ row.state }}</td>
            <td><a :href="`/api/renditions/${row.id}/file?format=${format}`" download>Download</a></td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.list { padding: 14px 24px; flex: 1; overflow: auto; }
.bar { display: flex; gap: 20px; align-items: center; }
table { border-collapse: collapse; margin-top: 14px; min-width: 720px; background: var(--panel); border: 1px solid var(--hairline); }
th { text-align: left; font-weight: 400; color: var(--quiet); }
th, td { padding: 7px 14px; border-bottom: 1px solid var(--hairline); }
</style>
