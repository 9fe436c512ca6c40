<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import { useContextMenu, type MenuItem } from './useContextMenu'

const { shown, close } = useContextMenu()
const list = ref<HTMLElement>()
let before: HTMLElement | null = null

watch(shown, async (now, then) => {
  if (now && !then) before = document.activeElement as HTMLElement | null
  if (now) {
    await nextTick()
    setTimeout(() => list.value?.querySelector<HTMLElement>('button:enabled')?.focus(), 30)
  } else before?.focus({ preventScroll: true })
})
function choose(item: MenuItem) {
  close()
  void item.act()
}
function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (event.key === 'Escape' || event.key === 'Tab') close()
  else if (step) {
    const all = [...list.value!.querySelectorAll<HTMLElement>('button:enabled')]
    all[(all.indexOf(document.activeElement as HTMLElement) + step + all.length) % all.length]?.focus()
  } else return
  event.preventDefault()
  event.stopPropagation()
}
</script>

<template>
  <v-menu :model-value="!!shown" :target="shown ? [shown.x, shown.y] : undefined" @update:model-value="close()">
    <div v-if="shown" ref="list" class="menu" role="menu" :aria-label="shown.title" @keydown="onKey">
      <p class="quiet" aria-hidden="true">{{ shown.title }}</p>
      <button
        v-for="item in shown.items()"
        :key="item.label"
        class="plain"
        role="menuitem"
        :disabled="item.disabled"
        @click="choose(item)"
      >
        <span>{{ item.label }}</span>
        <kbd v-if="item.key" class="mono quiet">{{ item.key }}</kbd>
      </button>
    </div>
  </v-menu>
</template>

<style scoped>
.menu {
  display: grid;
  min-width: 190px;
  max-width: 320px;
  padding: 5px;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 4px;
  font-size: 14px;
}
p {
  padding: 3px 9px 5px;
  border-bottom: 1px solid var(--hairline);
  margin-bottom: 4px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button {
  display: flex;
  justify-content: space-between;
  gap: 18px;
  min-height: 28px;
  padding: 2px 9px;
  border-radius: 3px;
  text-align: left;
}
button:hover:enabled,
button:focus-visible {
  background: rgb(var(--v-theme-surface-variant));
}
button:disabled {
  color: var(--quiet);
}
</style>
