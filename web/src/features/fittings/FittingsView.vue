<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'

const rows = ref<Schemas['FittingSummary'][] | null>(null)
async function load() {
  rows.value = await answer(client.GET('/api/fittings/')).catch((problem) => {
    useMessages().fail(problem)
    return []
  })
}
onMounted(load)
useChanges().on(['fittings', 'library', 'cast'], load)
</script>

<template>
  <div class="view">
    <div v-if="rows && !rows.length" class="empty">
      <h1>There is no fitting yet</h1>
      <p>
        A fitting says once how a library skeleton and a character correspond. It is made the first time a character
        performs a clip.
      </p>
      <v-btn class="doing" to="/library">Choose a clip in the library</v-btn>
      <p><router-link class="way" to="/fittings/patterns">Patterns of naming</router-link></p>
    </div>
    <section v-else-if="rows" class="list">
      <div class="head">
        <h1>Fittings</h1>
        <router-link class="way" to="/fittings/patterns">Patterns of naming</router-link>
      </div>
      <table>
        <thead>
          <tr>
            <th>library skeleton</th>
            <th>character</th>
            <th class="n">pairs</th>
            <th>required parts without a pair</th>
            <th><span class="unseen">to its fitting</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.id">
            <td>{{ row.skeleton }}</td>
            <td>{{ row.character }}</td>
            <td class="mono n">{{ row.pairs }}</td>
            <td>
              <span v-if="row.missing" class="gap">✕ {{ row.missing }}</span
              ><span v-else class="quiet">✓ none</span>
            </td>
            <td><router-link :to="`/fittings/${row.id}`">Open</router-link></td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.list {
  padding: 16px 24px;
  flex: 1;
  overflow: auto;
}
.head {
  display: flex;
  gap: 24px;
  align-items: baseline;
}
table {
  border-collapse: collapse;
  margin-top: 12px;
  min-width: 640px;
  background: var(--panel);
  border: 1px solid var(--hairline);
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
}
th,
td {
  padding: 7px 14px;
  border-bottom: 1px solid var(--hairline);
}
.n {
  text-align: right;
}
.gap {
  color: var(--wrong);
}
</style>
