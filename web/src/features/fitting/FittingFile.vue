<script setup lang="ts">
import { ref } from 'vue'

/** The whole fitting out as a file, or in from one. */
defineProps<{ fittingId: number }>()
const emit = defineEmits<{ take: [file: File] }>()
const input = ref<HTMLInputElement>()
function chosen() {
  const file = input.value?.files?.[0]
  if (file) emit('take', file)
  if (input.value) input.value.value = ''
}
</script>

<template>
  <v-menu>
    <template #activator="{ props: menu }"><button class="plain word" v-bind="menu">File</button></template>
    <v-list density="compact">
      <v-list-item title="Save this fitting as a file" :href="`/api/fittings/${fittingId}/file`" download />
      <v-list-item title="Take a fitting from a file …" @click="input?.click()" />
    </v-list>
  </v-menu>
  <input
    ref="input"
    type="file"
    accept=".json,application/json"
    hidden
    aria-label="File of a fitting"
    @change="chosen"
  />
</template>
