<script lang="ts">
export type Leaf = 'pair' | 'stance' | 'transfer' | 'touchup'
</script>

<script setup lang="ts">
import FittingFile from './FittingFile.vue'
import type { Fitting } from './weave'

const LEAVES: Record<Leaf, string> = { pair: 'Pair', stance: 'Stance', transfer: 'Transfer', touchup: 'Touch up' }
const leaf = defineModel<Leaf>({ required: true })
defineProps<{ fitting: Fitting | null; busy: boolean }>()
defineEmits<{ take: [file: File]; undo: []; redo: [] }>()
</script>

<template>
  <aside class="pane leaves" aria-label="The fitting">
    <div class="tabs" role="tablist" aria-label="Leaves of the fitting">
      <button
        v-for="(word, name) in LEAVES"
        :key="name"
        class="plain"
        role="tab"
        :aria-selected="leaf === name"
        @click="leaf = name"
      >
        {{ word }}
      </button>
      <span class="space"></span>
      <FittingFile v-if="fitting" :fitting-id="fitting.id" @take="$emit('take', $event)" />
      <button
        class="plain word"
        :disabled="!fitting?.undo || busy"
        :title="fitting?.undo ?? 'nothing to undo'"
        @click="$emit('undo')"
      >
        Undo
      </button>
      <button
        class="plain word"
        :disabled="!fitting?.redo || busy"
        :title="fitting?.redo ?? 'nothing to redo'"
        @click="$emit('redo')"
      >
        Redo
      </button>
    </div>
    <div class="leaf"><slot /></div>
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
.tabs {
  display: flex;
  gap: 18px;
  padding: 10px 14px 0;
  border-bottom: 1px solid var(--hairline);
  align-items: baseline;
}
.tabs [role='tab'] {
  padding: 4px 2px 7px;
  border-bottom: 2px solid transparent;
}
.tabs [role='tab'][aria-selected='true'] {
  border-color: var(--accent);
  font-weight: 500;
}
.tabs .word {
  font-size: 14px;
}
.tabs button {
  white-space: nowrap;
}
@media (max-width: 1150px) {
  .leaves {
    width: 384px;
  }
  .tabs {
    gap: 10px;
    padding: 10px 10px 0;
  }
}
.tabs .word:disabled {
  opacity: 0.4;
  cursor: default;
}
</style>
