<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { useChanges } from '@/stores/changes'
import { useEnsembles } from '@/stores/ensembles'
import { useMessages } from '@/stores/messages'

const ensembles = useEnsembles()
const messages = useMessages()
const load = () => ensembles.load().catch(messages.fail)
/** The one that is about to be removed. */
const removing = ref(0)
async function remove(id: number, name: string) {
  removing.value = 0
  try {
    await ensembles.remove(id)
    messages.announce(`${name} removed; its clips stay in the library.`)
  } catch (problem) {
    messages.fail(problem)
  }
}
onMounted(load)
useChanges().on(['ensembles', 'library', 'cast'], load)
</script>

<template>
  <div class="view">
    <div v-if="ensembles.loaded && !ensembles.rows.length" class="empty">
      <h1>There is no ensemble yet</h1>
      <p>
        An ensemble is clips of several performers who were recorded in one space. Other figures can play in it, and
        still meet.
      </p>
      <p>Tick the clips in the library and choose <b>Ensemble</b>.</p>
      <v-btn class="doing" to="/library">To the library</v-btn>
    </div>
    <section v-else-if="ensembles.loaded" class="list">
      <h1>Ensembles</h1>
      <table>
        <thead>
          <tr>
            <th>ensemble</th>
            <th>performers</th>
            <th>props</th>
            <th>castings</th>
            <th><span class="unseen">what can be done</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in ensembles.rows" :key="row.id">
            <td>
              <router-link :to="`/ensembles/${row.id}`">{{ row.name }}</router-link>
            </td>
            <td>{{ row.performers.join(', ') }}</td>
            <td>{{ row.props.join(', ') || 'none' }}</td>
            <td>
              <template v-for="(casting, n) in row.castings" :key="casting.id"
                ><template v-if="n">, </template
                ><router-link :to="`/ensembles/${row.id}?casting=${casting.id}`">{{
                  casting.name
                }}</router-link></template
              >
              <span v-if="!row.castings.length" class="quiet">none yet</span>
            </td>
            <td class="acts">
              <template v-if="removing === row.id"
                >Its castings and their results go with it; the clips stay.
                <button class="plain word" @click="remove(row.id, row.name)">Remove “{{ row.name }}”</button>
                <button class="plain word" @click="removing = 0">Keep it</button></template
              >
              <button
                v-else
                class="plain word"
                :aria-label="`Remove ${row.name}`"
                @click="removing = row.id"
                @keydown.esc="removing = 0"
              >
                Remove
              </button>
            </td>
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
table {
  border-collapse: collapse;
  margin-top: 12px;
  min-width: 640px;
  background: var(--panel);
  border: 1px solid var(--hairline);
}
th {
  text-align: left;
  font-weight: 500;
  color: var(--quiet);
  font-size: 13px;
}
.acts {
  font-size: 13.5px;
}
.acts .word {
  font-size: inherit;
  margin-right: 8px;
}
th,
td {
  padding: 7px 14px;
  border-bottom: 1px solid var(--hairline);
}
</style>
