<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { labelOf, SHORTCUTS, type Gesture, type Shortcut, type ShortcutGroup } from '@/shared/shortcuts/shortcuts'
import { activeGroups } from '@/shared/shortcuts/useShortcuts'
import { useFirstSteps } from './firstSteps'

/** All keys, those that work in the view that is open first. */
const open = defineModel<boolean>({ required: true })
const { begin } = useFirstSteps()
const emit = defineEmits<{ preferences: [] }>()
const close = ref<HTMLButtonElement>()
// With the focus inside, Esc closes it and Tab stays in it.
watch(open, (now) => now && setTimeout(() => open.value && close.value?.focus(), 30))

const rows = (group: ShortcutGroup): Gesture[] => {
  const { shortcuts, gestures = [] }: { shortcuts: Record<string, Shortcut>; gestures?: Gesture[] } = SHORTCUTS[group]
  return [
    ...Object.values(shortcuts).map((shortcut) => ({ label: labelOf(shortcut), does: shortcut.does })),
    ...gestures,
  ]
}
const sections = computed(() => {
  const names = Object.keys(SHORTCUTS) as ShortcutGroup[]
  const here = names.filter((name) => activeGroups.includes(name))
  return [
    { name: 'In this view', groups: here },
    { name: 'Elsewhere', groups: names.filter((name) => !here.includes(name)) },
  ]
})
</script>

<template>
  <v-dialog v-model="open" max-width="560" scrollable aria-label="Keys">
    <v-card class="card">
      <div class="head">
        <h1>Keys</h1>
        <button class="plain word first" @click="((open = false), emit('preferences'))">Preferences</button>
        <button class="plain word" @click="(begin(), (open = false))">Show the first steps again</button>
        <button ref="close" class="plain word" @click="open = false">Close</button>
      </div>
      <section v-for="section in sections" :key="section.name" :aria-label="section.name">
        <h2>{{ section.name }}</h2>
        <template v-for="group in section.groups" :key="group">
          <h3>{{ group }}</h3>
          <dl>
            <template v-for="row in rows(group)" :key="row.label">
              <dt class="mono">{{ row.label }}</dt>
              <dd>{{ row.does }}</dd>
            </template>
          </dl>
        </template>
      </section>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 20px 24px;
  background: var(--panel);
}
.head {
  display: flex;
  gap: 16px;
}
.first {
  margin-left: auto;
}
section {
  margin-top: 14px;
}
h2 {
  border-bottom: 1px solid var(--hairline);
  padding-bottom: 3px;
}
h3 {
  margin: 10px 0 0;
  font-size: 14px;
  font-weight: 500;
  color: var(--quiet);
}
dl {
  display: grid;
  grid-template-columns: 8.5rem 1fr;
  gap: 3px 10px;
  margin: 3px 0 0;
}
dd {
  margin: 0;
}
</style>
