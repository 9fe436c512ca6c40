<script setup lang="ts">
import { useTimeoutFn } from '@vueuse/core'
import { ref, watch } from 'vue'

/**
 * An input whose text is left alone while somebody types, however often what is around it is drawn anew. What was
 * entered is shown until the value follows it, or for a moment where it does not. Escape takes back what was typed.
 */
const REFUSED_AFTER = 2000 // milliseconds

const props = defineProps<{ value: string | number }>()
const text = ref(`${props.value}`)
const typing = ref(false)
function show() {
  if (!typing.value) text.value = `${props.value}`
}
watch(() => props.value, show)
const { isPending, start } = useTimeoutFn(show, REFUSED_AFTER, { immediate: false })
function enter() {
  typing.value = false
  start()
}
function leave() {
  typing.value = false
  if (!isPending.value) show()
}
</script>

<template>
  <input v-model="text" @input="typing = true" @change="enter" @blur="leave" @keydown.esc="leave" />
</template>
