<script setup lang="ts">
import type { Sheet } from './sheet'

/** What can be done on a sheet of the board, while nothing is swept. */
defineProps<{ sheet: Sheet }>()
</script>

<template>
  <p class="hint quiet">
    <template v-if="sheet === 'ensembles'">
      Press castings, with Ctrl for several and Shift for a stretch, or take whole rows by their headings; then
      transfer, review or deliver what is swept. Enter or a double click opens one.
    </template>
    <template v-else-if="sheet === 'wanted'">
      Press what is in work or done to transfer, review or deliver it; what is missing or to choose opens the
      <router-link to="/callsheet">call sheet</router-link>.
    </template>
    <template v-else>
      Draw over cells, or take whole rows and columns by their headings; then transfer, review or deliver what is swept.
      Enter or a double click opens a cell.
    </template>
  </p>
</template>

<style scoped>
.hint {
  padding: 10px 20px 12px;
  font-size: 14px;
}
</style>
