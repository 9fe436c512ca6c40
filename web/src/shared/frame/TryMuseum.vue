<script setup lang="ts">
import { useArrivals } from '@/stores/arrivals'

/** In an empty studio: the museum's figures, to try it with. */
const arrivals = useArrivals()
</script>

<template>
  <div class="museum">
    <p>Nothing at hand? The figures of the museum's clocks and their chores come with the studio.</p>
    <v-btn :disabled="arrivals.busy" @click="arrivals.bringInMuseum()">Try with the museum's figures</v-btn>
    <p v-if="arrivals.busy" class="quiet" role="status">They are coming down …</p>
  </div>
</template>

<style scoped>
.museum {
  margin-top: 18px;
  padding-top: 14px;
  border-top: 1px solid var(--hairline);
}
</style>
