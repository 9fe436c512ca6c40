<script setup lang="ts">
import { computed, onMounted } from 'vue'

import { useCallSheet, WANTED_STATES } from '@/stores/callSheet'
import { useCast } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import WantedMark from './WantedMark.vue'
import WantedTable from './WantedTable.vue'

/** The call sheet as a page of paper: what is wanted against the cast, and how far it is. */
const sheet = useCallSheet()
const cast = useCast()
const messages = useMessages()
const characters = computed(() =>
  cast.present.filter((character) => sheet.rows.some((row) => row.character_ids.includes(character.id))),
)
const count = (state: string) => sheet.rows.filter((row) => row.state === state).length
const day = new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' })
const load = () => sheet.load().catch(messages.fail)
useChanges().on(['callsheet', 'library', 'cast', 'renditions', 'fittings'], load)
onMounted(load)
const print = () => window.print()
</script>

<template>
  <div v-if="sheet.loaded && cast.loaded" class="page">
    <p class="ways">
      <router-link class="way" to="/callsheet">Back to the call sheet</router-link>
      <v-btn class="doing" :disabled="!sheet.rows.length" @click="print">Print</v-btn>
    </p>
    <h1>Call sheet, {{ day }}</h1>
    <p class="key">
      <span v-for="state in WANTED_STATES" :key="state"
        ><WantedMark :state="state" /> {{ state }} <span class="mono">{{ count(state) }}</span></span
      >
    </p>
    <WantedTable v-if="sheet.rows.length" :rows="sheet.rows" :characters="characters" />
    <p v-else>Nothing is wanted yet. <router-link to="/callsheet">Write the call sheet</router-link></p>
  </div>
</template>

<style scoped>
.page {
  max-width: 1120px;
  margin: 0 auto;
  padding: 20px 28px 60px;
  display: grid;
  gap: 14px;
}
.ways {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.key {
  display: flex;
  gap: 22px;
}
.key span {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
@media print {
  .ways {
    display: none;
  }
  .page {
    padding: 0;
    max-width: none;
    color: #000;
  }
}
</style>
<style>
@media print {
  header,
  .skip,
  .first-steps {
    display: none !important;
  }
  .v-application,
  body {
    background: #fff !important;
  }
  tr {
    break-inside: avoid;
  }
}
</style>
