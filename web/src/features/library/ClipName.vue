<script setup lang="ts">
import type { Clip } from '@/stores/library'
import { useClipPath } from './clipFacts'

/** A clip's name, which leads to it. */
const props = defineProps<{ clip: Clip }>()
const { path } = useClipPath(() => props.clip.id)
</script>

<template>
  <router-link :to="path" :title="clip.name">{{ clip.name }}</router-link>
</template>

<style scoped>
a {
  font-weight: 500;
  text-decoration: none;
}
a:hover {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
