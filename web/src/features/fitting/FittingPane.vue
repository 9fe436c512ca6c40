<script setup lang="ts">
import { ref } from 'vue'

import TabList from '@/shared/frame/TabList.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import FittingFile from './FittingFile.vue'
import { LEAVES, type Leaf } from './leaves'
import type { Fitting } from './weave'

// No field that is typed into: it would take the keys that lead on.
const CONTROL = 'input[type=range]:enabled, input[type=checkbox]:enabled, button:enabled'
const leaf = defineModel<Leaf>({ required: true })
defineProps<{ fitting: Fitting | null; busy: boolean }>()
defineEmits<{ take: [file: File]; undo: []; redo: [] }>()
const panel = ref<HTMLElement>()

/** To the first control of the next group of settings, or the one before: there are too many to go through by Tab. */
function toSection(by: number) {
  if (leaf.value !== 'transfer' || !panel.value) return false
  const controls = [...panel.value.querySelectorAll('section')]
    .map((section) => [...section.querySelectorAll<HTMLElement>(CONTROL)].find((control) => control.checkVisibility()))
    .filter((control) => control !== undefined)
  if (!controls.length) return false
  const within = controls.findIndex((control) => control.closest('section')!.contains(document.activeElement))
  const at = within < 0 ? (by > 0 ? 0 : -1) : within + by
  const next = controls.at(at % controls.length)!
  next.focus()
  next.closest('section')!.scrollIntoView({ block: 'nearest' })
}
useShortcuts('Transfer', { section: () => toSection(1), sectionBefore: () => toSection(-1) })
</script>

<template>
  <aside class="pane leaves" aria-label="The fitting">
    <TabList v-model="leaf" :tabs="LEAVES" label="Leaves of the fitting" panel="leaf">
      <FittingFile v-if="fitting" :fitting-id="fitting.id" @take="$emit('take', $event)" />
      <UndoRedo
        group="Fitting"
        :undoable="!busy && fitting?.undo"
        :redoable="!busy && fitting?.redo"
        @undo="$emit('undo')"
        @redo="$emit('redo')"
      />
    </TabList>
    <div id="leaf" ref="panel" class="leaf" role="tabpanel" :aria-labelledby="`leaf-${leaf}`"><slot /></div>
  </aside>
</template>

<style scoped>
.leaves {
  width: 452px;
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.leaf {
  overflow-y: auto;
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
@media (max-width: 1150px) {
  .leaves {
    width: 384px;
  }
}
</style>
