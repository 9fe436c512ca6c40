<script setup lang="ts">
import { SETTING_WORDS, type Settling } from './useSettling'

/** Whether what is changed is said for the clip in view alone, and what is. */
const props = defineProps<{ settling: Settling; clip?: { name: string } }>()
const { alone, exception } = props.settling
</script>

<template>
  <section aria-label="For this clip alone">
    <label><input v-model="alone" type="checkbox" /> What I change is for {{ clip?.name ?? 'this clip' }} alone</label>
    <p v-if="exception" class="own">
      <span class="quiet">Said for it alone:</span>
      <span v-for="name in exception.names" :key="name">
        {{ SETTING_WORDS[name] ?? name }}
        <button
          class="plain word"
          title="Back to what holds for every clip"
          :aria-label="`Take back ${SETTING_WORDS[name] ?? name}`"
          @click="settling.takeBack([name])"
        >
          take back
        </button>
      </span>
    </p>
  </section>
</template>

<style scoped>
label {
  display: flex;
  gap: 7px;
  align-items: baseline;
  min-height: 24px;
}
.own {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.own .word {
  font-size: 13px;
  color: var(--quiet);
}
</style>
