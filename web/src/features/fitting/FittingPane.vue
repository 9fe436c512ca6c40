<script setup lang="ts">
import TabList from '@/shared/frame/TabList.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import FittingFile from './FittingFile.vue'
import { LEAVES, type Leaf } from './leaves'
import type { Fitting } from './weave'

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
        v-bind="withKey('Fitting', 'undo', fitting?.undo ? `Undo: ${fitting.undo}` : 'Nothing to undo')"
        @click="$emit('undo')"
      >
        Undo
      </button>
      <button
        class="plain word"
        :disabled="!fitting?.redo || busy"
        v-bind="withKey('Fitting', 'redo', fitting?.redo ? `Redo: ${fitting.redo}` : 'Nothing to redo')"
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
