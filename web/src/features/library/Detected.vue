<script setup lang="ts">
import { ref } from 'vue'

/**
 * One thing that was detected: its value, the evidence, and a way to say otherwise, for this file or for all ticked
 * ones.
 */
defineProps<{
  label: string
  value: string
  evidence: string
  told?: boolean
  doubt?: boolean
  choices?: { value: string; text: string }[]
  all?: number
}>()
const emit = defineEmits<{ choose: [value: string, everywhere: boolean] }>()
const open = ref(false)
const everywhere = ref(false)
function choose(value: string) {
  open.value = false
  emit('choose', value, everywhere.value)
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" location="bottom start">
    <template #activator="{ props: menu }">
      <button class="plain fact" :class="{ told, doubt }" v-bind="menu" :aria-label="`${label}: ${value}`">
        <span class="quiet">{{ label }}</span><span class="mono">{{ value }}</span>
      </button>
    </template>
    <v-card class="why">
      <p>{{ evidence }}</p>
      <template v-if="choices?.length">
        <label v-if="(all ?? 0) > 1" class="everywhere"
          ><input v-model="everywhere" type="checkbox" /> for all {{ all }} ticked clips</label
        >
        <div class="choices">
          <button v-for="choice in choices" :key="choice.value" class="plain pick" @click="choose(choice.value)">
            {{ choice.text }}
          </button>
        </div>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped>
.fact {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  min-height: 25px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  font-size: 13px;
  white-space: nowrap;
  background: var(--panel);
}
.fact:hover {
  border-color: var(--ink);
}
.fact.told {
  border-style: solid;
  border-color: var(--accent);
}
.fact.doubt {
  border-style: dashed;
  border-color: var(--ink);
}
.why {
  padding: 12px 14px;
  max-width: 360px;
  background: var(--panel);
  display: grid;
  gap: 10px;
  font-size: 14px;
}
.why p::first-letter {
  text-transform: uppercase;
}
.everywhere {
  display: flex;
  gap: 7px;
  align-items: center;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.pick {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 2px 9px;
  min-height: 28px;
  font-size: 13.5px;
}
.pick:hover {
  border-color: var(--accent);
}
</style>
