<script setup lang="ts">
import { ref } from 'vue'

import { inUnits, lengthNumber, lengthUnit, metresOf } from '@/shared/units'

/**
 * One thing that was detected: its value, the evidence, and a way to say otherwise, for this file or for all ticked
 * ones.
 */
const props = defineProps<{
  label: string
  value: string
  evidence: string
  told?: boolean
  doubt?: boolean
  choices?: { value: string; text: string }[]
  /** A length that can be said instead; now, least and most are metres. */
  length?: { label: string; now: number | undefined; least: number; most: number }
  all?: number
}>()
const emit = defineEmits<{ choose: [value: string, everywhere: boolean]; say: [value: number, everywhere: boolean] }>()
const open = ref(false)
const everywhere = ref(false)
function choose(value: string) {
  open.value = false
  emit('choose', value, everywhere.value)
}
const typed = ref('')
const wrong = ref('')
function say() {
  const { length } = props
  const value = metresOf(Number(typed.value.trim().replace(',', '.')))
  if (!length || !typed.value.trim()) return
  if (!Number.isFinite(value) || value < length.least || value > length.most) {
    wrong.value = `Type a number from ${lengthNumber(length.least, 0)} to ${lengthNumber(length.most, 0)}.`
    return
  }
  typed.value = wrong.value = ''
  open.value = false
  emit('say', value, everywhere.value)
}
</script>

<template>
  <v-menu v-model="open" :close-on-content-click="false" location="bottom start">
    <template #activator="{ props: menu }">
      <button class="plain fact" :class="{ told, doubt }" v-bind="menu" :aria-label="`${label}: ${value}`">
        <span class="quiet">{{ label }}</span> <span class="mono">{{ value }}</span>
      </button>
    </template>
    <v-card class="why">
      <p>{{ inUnits(evidence) }}</p>
      <template v-if="choices?.length">
        <label v-if="(all ?? 0) > 1" class="everywhere"
          ><input v-model="everywhere" type="checkbox" /> for all {{ all }} ticked clips</label
        >
        <div class="choices">
          <button v-for="choice in choices" :key="choice.value" class="plain pick" @click="choose(choice.value)">
            {{ choice.text }}
          </button>
        </div>
        <form v-if="length" class="number" @submit.prevent="say">
          <label
            >{{ length.label }}
            <input
              v-model="typed"
              :placeholder="length.now ? lengthNumber(length.now, 0) : ''"
              inputmode="decimal"
              :aria-label="`${length.label}, ${lengthUnit.value}`"
            />
            {{ lengthUnit.value }}</label
          >
          <button class="plain pick" :disabled="!typed.trim()">Say so</button>
          <span v-if="wrong" class="wrong" role="alert">{{ wrong }}</span>
        </form>
      </template>
    </v-card>
  </v-menu>
</template>

<style scoped src="./detected.css"></style>
<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.number {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.number input {
  width: 76px;
  font: inherit;
  font-family: var(--mono);
  font-size: 13px;
  color: inherit;
  background: none;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 2px 6px;
  text-align: right;
}
.number .wrong {
  color: var(--wrong);
  font-size: 13px;
}
.pick:disabled {
  opacity: 0.45;
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
