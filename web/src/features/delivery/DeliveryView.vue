<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client, type Schemas } from '@/api/client'
import { quantity } from '@/shared/units'
import { useChanges } from '@/stores/changes'
import { useChoice } from '@/stores/choice'
import { useMessages } from '@/stores/messages'
import { useRuns } from '@/stores/runs'
import { fetchArchive, inWords, receiverOf, size } from './deliveries'

/** The record of what went out, and whether it would come out otherwise now. */
const messages = useMessages()
const runs = useRuns()
const rows = ref<Schemas['DeliveryOut'][] | null>(null)
const route = useRoute()
const router = useRouter()
/** The delivery that is open stands in the address. */
const shown = computed(() => Number(route.query.delivery) || null)
const items = ref<Schemas['DeliveryItemOut'][]>([])
const load = async () => {
  rows.value = await answer(client.GET('/api/deliveries/')).catch((problem) => (messages.fail(problem), []))
}
/** What has just been asked for may still be on its way out. */
const RECENT = 15 * 60_000
const underWay = () => rows.value?.some((row) => !row.fetched && Date.now() - Date.parse(row.created) < RECENT)
onMounted(() => void load())
useChanges().on(['delivery', 'renditions'], load)
useIntervalFn(() => underWay() && void load(), 1500)

async function again(row: Schemas['DeliveryOut'], only_changed: boolean) {
  try {
    const made = await answer(
      client.POST('/api/deliveries/{delivery_id}/again', {
        params: { path: { delivery_id: row.id } },
        body: { only_changed },
      }),
    )
    fetchArchive(made.id)
    await load()
  } catch (problem) {
    messages.fail(problem)
  }
}
const show = (row: Schemas['DeliveryOut']) =>
  router.replace({ query: shown.value === row.id ? {} : { delivery: row.id } })
watch(
  shown,
  async (delivery_id) => {
    items.value = []
    if (!delivery_id) return
    const found = await answer(
      client.GET('/api/deliveries/{delivery_id}/items', { params: { path: { delivery_id } } }),
    ).catch((problem) => (messages.fail(problem), []))
    if (shown.value === delivery_id) items.value = found
  },
  { immediate: true },
)
const when = (text: string) =>
  new Date(text).toLocaleString(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
const compose = () => (useChoice().cells = [])
const thinned = (row: Schemas['DeliveryItemOut']) => row.row?.thinned
</script>

<template>
  <div class="view">
    <div v-if="rows && !rows.length && !runs.counts?.renditions" class="empty">
      <h1>Nothing is ready to deliver</h1>
      <p>What was transferred leaves the house from here: as files under good names, in one archive with a manifest.</p>
      <v-btn class="doing" to="/board">Transfer clips on the board</v-btn>
    </div>
    <section v-else-if="rows" class="list">
      <div class="bar">
        <h1>Delivery</h1>
        <span class="space"></span>
        <v-btn class="doing" to="/delivery/new" @click="compose">New delivery</v-btn>
      </div>
      <p v-if="!rows.length" class="quiet">
        Nothing has gone out yet.
        {{
          runs.counts?.accepted
            ? `${runs.counts.accepted} results are accepted.`
            : 'Results can be delivered before they are accepted, too.'
        }}
      </p>
      <ol v-else>
        <li v-for="row in rows" :key="row.id">
          <div class="line">
            <div class="what">
              <button class="plain name" :aria-expanded="shown === row.id" @click="show(row)">{{ row.name }}</button>
              <span class="quiet"
                >{{ when(row.created) }} · {{ row.results === 1 ? 'one result' : `${row.results} results` }} on
                {{ row.characters.length > 3 ? `${row.characters.length} characters` : row.characters.join(', ') }} ·
                {{ inWords(row.wanted) }}</span
              >
              <span class="quiet"
                >{{
                  row.fetched
                    ? `${row.files === 1 ? 'one file' : `${row.files} files`}, ${size(row.bytes)}`
                    : 'not fetched yet'
                }}<template v-if="row.changed">
                  ·
                  <strong
                    >{{ row.changed === 1 ? 'one result has' : `${row.changed} results have` }} changed since</strong
                  ></template
                ></span
              >
            </div>
            <a v-if="!row.changed" class="word" :href="receiverOf(row.id)" target="_blank" rel="noopener"
              >Open as the receiver sees it</a
            >
            <v-btn v-if="!row.changed" size="small" @click="fetchArchive(row.id)">Fetch again</v-btn>
            <v-btn v-if="row.changed" size="small" class="doing" @click="again(row, true)"
              >Deliver what has changed</v-btn
            >
            <v-btn v-if="row.changed" size="small" @click="again(row, false)">Deliver all again</v-btn>
          </div>
          <table v-if="shown === row.id && items.length">
            <thead>
              <tr>
                <th>file</th>
                <th>clip</th>
                <th>character</th>
                <th class="number">frames</th>
                <th>keys</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(item, n) in items" :key="n">
                <td class="mono">{{ item.file }}</td>
                <td>{{ item.clip }}</td>
                <td>{{ item.character }}</td>
                <td class="mono number">{{ item.row?.frames ?? '' }}</td>
                <td class="mono">
                  {{
                    thinned(item)
                      ? `${Math.round((thinned(item)!.keys / thinned(item)!.of) * 100)} %, off ${thinned(item)!.degrees.toFixed(2)}°, ${quantity(thinned(item)!.centimetres, 'cm', 2)}`
                      : item.row
                        ? 'all'
                        : ''
                  }}
                </td>
              </tr>
            </tbody>
          </table>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
.list {
  padding: 14px 24px;
  flex: 1;
  overflow: auto;
}
.bar {
  display: flex;
  gap: 20px;
  align-items: center;
}
ol {
  list-style: none;
  margin: 14px 0 0;
  padding: 0;
  background: var(--panel);
  border: 1px solid var(--hairline);
}
li {
  border-bottom: 1px solid var(--hairline);
  padding: 10px 16px;
}
li:last-child {
  border-bottom: 0;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
.what {
  display: grid;
  flex: 1;
  min-width: 0;
  font-size: 14px;
}
.name {
  font-weight: 500;
  font-size: 15px;
  min-height: 26px;
}
.name::before {
  content: '▸';
  display: inline-block;
  width: 1.1em;
  color: var(--quiet);
}
.name[aria-expanded='true']::before {
  content: '▾';
}
strong {
  font-weight: 500;
}
table {
  border-collapse: collapse;
  margin: 8px 0 2px;
  width: 100%;
  font-size: 14px;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
}
th,
td {
  padding: 3px 10px 3px 0;
  border-top: 1px solid var(--hairline);
}
.number {
  text-align: right;
  padding-right: 24px;
}
</style>
