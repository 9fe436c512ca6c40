<script setup lang="ts">
import { ref } from 'vue'

/** A button that asks for files. */
defineProps<{ label: string; accept: string; doing?: boolean }>()
const emit = defineEmits<{ files: [files: File[]] }>()
const field = ref<HTMLInputElement>()

function chosen() {
  const files = [...(field.value?.files ?? [])]
  if (field.value) field.value.value = ''
  if (files.length) emit('files', files)
}
</script>

<template>
  <v-btn :class="{ doing }" @click="field?.click()">{{ label }}</v-btn>
  <input ref="field" type="file" multiple hidden :accept="accept" :aria-label="label" @change="chosen" />
</template>
