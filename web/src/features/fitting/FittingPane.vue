<script lang="ts">
export type Leaf = 'pair' | 'stance' | 'transfer' | 'touchup'
</script>

<script setup lang="ts">
import TabList from '@/shared/frame/TabList.vue'
import FittingFile from './FittingFile.vue'
import type { Fitting } from './weave'

const LEAVES: Record<Leaf, string> = { pair: 'Pair', stance: 'Stance', transfer: 'Transfer', touchup: 'Touch up' }
const leaf = defineModel<Leaf>({ required: true })
defineProps<{ fitting: Fitting | null; busy: boolean }>()
defineEmits<{ take: [file: File]; undo: []; redo: [] }>()
</script>

<template>
  <aside class="pane leaves" aria-label="The fitting">
    <TabList v-model="leaf" :tabs="LEAVES" label="Leaves of the fitting" panel="leaf">
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
    </TabList>
    <div id="leaf" class="leaf" role="tabpanel" :aria-labelledby="`leaf-${leaf}`"><slot /></div>
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
