<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { useMessages } from '@/stores/messages'
import { stateOf, useRenditions } from '@/stores/renditions'

const renditions = useRenditions()
const messages = useMessages()
const format = ref<'glb' | 'bvh' | 'dae' | 'usd'>('glb')
onMounted(() => renditions.load().catch(messages.fail))
const ready = computed(() => renditions.rows.filter((row) => ['good', 'look', 'wrong'].includes(row.state) && !row.sentence))
</script>

<template>
  <div class="view">
    <div v-if="renditions.loaded && !ready.length" class="empty">
      <h1>Nothing is ready to deliver</h1>
      <p>Finished renditions are fetched here as files: the character with the motion, or the motion alone.</p>
      <v-btn class="doing" to="/board">Transfer clips on the board</v-btn>
    </div>
    <section v-else-if="renditions.loaded" class="list">
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
          <tr v-for="row in ready" :key="row.id">
            <td class="mono">{{ row.character }} {{ row.clip }}.{{ format }}</td>
            <td>{{ row.clip }}</td>
            <td>{{ row.character }}</td>
            <td><span aria-hidden="true">{{ stateOf(row).mark }}</span> {{ stateOf(row).word }}</td>
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
