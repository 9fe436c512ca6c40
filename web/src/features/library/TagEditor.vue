<script setup lang="ts">
import { computed, ref } from 'vue'

/** Tags as words: taken out with a click, added by typing; tags used elsewhere are offered. */
const props = defineProps<{ tags: string[]; known: string[]; label: string }>()
const emit = defineEmits<{ change: [wanted: { tag: string[] } | { untag: string[] }] }>()
const text = ref('')
const id = `tags-${Math.random().toString(36).slice(2)}`
const offered = computed(() => props.known.filter((tag) => !props.tags.includes(tag)))

function add() {
  const tag = text.value.trim()
  text.value = ''
  if (tag && !props.tags.includes(tag)) emit('change', { tag: [tag] })
}
</script>

<template>
  <div class="tags" role="group" :aria-label="label">
    <span v-for="tag in tags" :key="tag" class="tag"
      >{{ tag
      }}<button class="plain off" :aria-label="`Take out tag ${tag}`" @click="emit('change', { untag: [tag] })">
        ×
      </button></span
    >
    <input
      v-model="text"
      :list="id"
      :aria-label="`Add a tag to ${label}`"
      placeholder="add a tag"
      @keydown.enter="add"
      @change="add"
    />
    <datalist :id="id"><option v-for="tag in offered" :key="tag" :value="tag" /></datalist>
  </div>
</template>

<style scoped>
.tags {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  align-items: center;
}
.tag {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 0 2px 0 8px;
  font-size: 13.5px;
  display: inline-flex;
  align-items: center;
  min-height: 24px;
}
.off {
  width: 24px;
  height: 24px;
  text-align: center;
  color: var(--quiet);
}
input {
  border: 0;
  border-bottom: 1px dotted var(--quiet);
  background: none;
  color: inherit;
  font: inherit;
  font-size: 13.5px;
  width: 92px;
  min-height: 24px;
  outline-offset: 2px;
}
</style>
