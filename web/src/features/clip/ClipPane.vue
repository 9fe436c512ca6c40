<script lang="ts">
export type Leaf = 'refine' | 'about'
</script>

<script setup lang="ts">
import TabList from '@/shared/frame/TabList.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { useDraft } from '@/shared/useDraft'
import type { Clip, ClipChange } from '@/stores/library'

/** The name of a clip, and what can be done with it or is known of it. */
const props = defineProps<{
  clip: Clip
  undoable: boolean
  redoable: boolean
  change: (wanted: ClipChange, base?: number) => Promise<boolean>
}>()
defineEmits<{ undo: []; redo: [] }>()
const leaf = defineModel<Leaf>({ required: true })
const LEAVES: Record<Leaf, string> = { refine: 'Refine', about: 'About' }

const name = useDraft(
  () => props.clip.name,
  () => props.clip.lock_version,
)
const typed = name.text
async function rename() {
  await props.change({ name: typed.value }, name.end())
  name.show()
}
</script>

<template>
  <aside class="pane clip" :aria-label="`The clip ${clip.name}`">
    <input
      v-model="typed"
      class="name"
      aria-label="Name of the clip"
      @focus="name.begin"
      @blur="name.leave"
      @change="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <TabList v-model="leaf" :tabs="LEAVES" label="Leaves of the clip" panel="leaf">
      <UndoRedo group="Clip" :undoable="undoable" :redoable="redoable" @undo="$emit('undo')" @redo="$emit('redo')" />
    </TabList>
    <div id="leaf" class="leaf" role="tabpanel" :aria-labelledby="`leaf-${leaf}`"><slot /></div>
  </aside>
</template>

<style scoped>
.clip {
  width: 372px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.name {
  font: inherit;
  font-size: 1.15rem;
  font-weight: 500;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 2px 5px;
  margin: 12px 12px 0;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
}
.leaf {
  overflow-y: auto;
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
@media (max-width: 1150px) {
  .clip {
    width: 330px;
  }
}
</style>
