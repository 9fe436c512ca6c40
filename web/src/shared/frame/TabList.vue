<script setup lang="ts" generic="Name extends string">
import { computed, nextTick, ref } from 'vue'

/**
 * Tabs over the leaves of a pane, and beside them what belongs to all of its leaves (ARIA Authoring Practices, tabs):
 * one of them is in the order of Tab, arrow keys go from one to the next. The panel has the id "panel".
 */
const props = defineProps<{ tabs: Record<Name, string>; label: string; panel: string }>()
const chosen = defineModel<Name>({ required: true })
const names = computed(() => Object.keys(props.tabs) as Name[])
const list = ref<HTMLElement>()
async function onKey(event: KeyboardEvent) {
  const at = names.value.indexOf(chosen.value)
  const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: names.value.length - 1 }[event.key]
  if (to === undefined) return
  event.preventDefault()
  event.stopPropagation()
  chosen.value = names.value[(to + names.value.length) % names.value.length]
  await nextTick()
  list.value?.querySelector<HTMLElement>('[aria-selected="true"]')?.focus()
}
</script>

<template>
  <div class="tabs">
    <div ref="list" class="list" role="tablist" :aria-label="label" @keydown="onKey">
      <button
        v-for="name in names"
        :id="`${panel}-${name}`"
        :key="name"
        class="plain"
        role="tab"
        :aria-selected="chosen === name"
        :aria-controls="panel"
        :tabindex="chosen === name ? 0 : -1"
        @click="chosen = name"
      >
        {{ tabs[name] }}
      </button>
    </div>
    <span class="space"></span>
    <slot />
  </div>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 14px;
  padding: 8px 14px 0;
  border-bottom: 1px solid var(--hairline);
  align-items: baseline;
}
.list {
  display: flex;
  gap: 18px;
}
[role='tab'] {
  padding: 4px 2px 7px;
  border-bottom: 2px solid transparent;
  white-space: nowrap;
}
[role='tab'][aria-selected='true'] {
  border-color: var(--accent);
  font-weight: 500;
}
.tabs > :deep(.word) {
  font-size: 14px;
  white-space: nowrap;
}
@media (max-width: 1150px) {
  .tabs {
    gap: 10px;
    padding: 8px 10px 0;
  }
  .list {
    gap: 10px;
  }
}
</style>
