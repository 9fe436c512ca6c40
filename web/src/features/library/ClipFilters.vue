<script setup lang="ts">
import type { useClipFilter } from './useClipFilter'

/** What is asked of clips to be shown, and their order. */
const props = defineProps<{ filter: ReturnType<typeof useClipFilter>; tags: string[] }>()
const { choices, order } = props.filter
</script>

<template>
  <v-text-field
    v-model="choices.text"
    class="search"
    placeholder="Search"
    title="By name, tag or skeleton (/)"
    aria-label="Search clips"
    clearable
  />
  <select v-model="choices.tag" aria-label="Tag">
    <option value="">any tag</option>
    <option v-for="tag in tags" :key="tag">{{ tag }}</option>
  </select>
  <select v-model="choices.length" aria-label="Length">
    <option value="">any length</option>
    <option value="short">under 3 s</option>
    <option value="middling">3 to 6 s</option>
    <option value="long">over 6 s</option>
  </select>
  <select v-model="choices.travel" aria-label="Travel">
    <option value="">any travel</option>
    <option>travels</option>
    <option>stays</option>
  </select>
  <select v-model="choices.loop" aria-label="Loop">
    <option value="">loop or not</option>
    <option>loops</option>
    <option value="not">does not</option>
  </select>
  <select v-model="order" aria-label="Order">
    <option value="name">by name</option>
    <option value="newest">newest first</option>
    <option value="longest">longest first</option>
    <option value="farthest">farthest first</option>
    <option value="skeleton">by skeleton</option>
  </select>
</template>

<style scoped>
.search {
  flex: 1 1 130px;
  max-width: 220px;
}
select {
  font-size: 13.5px;
  max-width: 118px;
  min-height: 32px;
}
@media (max-width: 1100px) {
  .search {
    max-width: 150px;
  }
}
</style>
