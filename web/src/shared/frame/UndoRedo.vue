<script setup lang="ts">
import { withKey } from '@/shared/shortcuts/shortcuts'

/** Undo and redo of a view. undoable, redoable: what would be, in words, or whether anything would. */
const props = defineProps<{
  group: 'Bones' | 'Call sheet' | 'Clip' | 'Ensemble' | 'Fitting' | 'Intake' | 'Splice'
  undoable: string | boolean | null | undefined
  redoable: string | boolean | null | undefined
}>()
defineEmits<{ undo: []; redo: [] }>()

function title(word: string, what: string | boolean | null | undefined) {
  if (!what) return `Nothing to ${word.toLowerCase()}`
  return what === true ? word : `${word}: ${what}`
}
</script>

<template>
  <button
    class="plain word"
    :disabled="!undoable"
    v-bind="withKey(props.group, 'undo', title('Undo', undoable))"
    @click="$emit('undo')"
  >
    Undo
  </button>
  <button
    class="plain word"
    :disabled="!redoable"
    v-bind="withKey(props.group, 'redo', title('Redo', redoable))"
    @click="$emit('redo')"
  >
    Redo
  </button>
</template>
