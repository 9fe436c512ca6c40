<script setup lang="ts">
import { computed } from 'vue'

import { useLibrary, type Clip } from '@/stores/library'
import { LIST_ROW, travel } from './clipFacts'
import ClipName from './ClipName.vue'
import SeeItOn from './SeeItOn.vue'
import type { useClipFilter } from './useClipFilter'

/** Clips as rows, to be sorted by their columns; only those in sight are drawn. */
const props = defineProps<{
  clips: Clip[]
  selected: Set<number>
  marked: number
  filter: ReturnType<typeof useClipFilter>
}>()
const emit = defineEmits<{ pick: [clip: Clip, shift: boolean]; menu: [event: MouseEvent, clip: Clip] }>()
const { order, reversed } = props.filter
const skeletons = computed(() => new Map(useLibrary().skeletons.map(({ id, name }) => [id, name])))
/** Columns with the order that goes by them, in the direction that it has when it is not reversed. */
const COLUMNS = [
  { word: 'clip', by: 'name', sort: 'ascending' },
  { word: 'skeleton', by: 'skeleton', sort: 'ascending' },
  { word: 'length', by: 'longest', sort: 'descending' },
  { word: 'travel', by: 'farthest', sort: 'descending' },
  { word: 'came in', by: 'newest', sort: 'descending' },
] as const
const OTHER = { ascending: 'descending', descending: 'ascending' } as const
const sorted = ({ by, sort }: (typeof COLUMNS)[number]) =>
  order.value !== by ? 'none' : reversed.value ? OTHER[sort] : sort
function sortBy(by: string) {
  reversed.value = order.value === by && !reversed.value
  order.value = by
}
const day = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium' })
</script>

<template>
  <div class="list" role="table" aria-label="Clips" :aria-rowcount="clips.length + 1">
    <div class="line head" role="row">
      <span role="columnheader"><span class="unseen">select</span></span>
      <span v-for="column in COLUMNS" :key="column.by" role="columnheader" :aria-sort="sorted(column)">
        <button
          class="plain"
          :title="`Sort by ${column.word}; once more the other way round`"
          @click="sortBy(column.by)"
        >
          {{ column.word
          }}<span aria-hidden="true">{{ { none: '', ascending: ' ↑', descending: ' ↓' }[sorted(column)] }}</span>
        </button>
      </span>
      <span role="columnheader">tags</span>
      <span role="columnheader"><span class="unseen">see it</span></span>
    </div>
    <v-virtual-scroll :items="clips" :item-height="LIST_ROW" item-key="id">
      <template #default="{ item: clip }">
        <div
          class="line"
          role="row"
          :class="{ selected: selected.has(clip.id), marked: clip.id === marked }"
          @contextmenu="emit('menu', $event, clip)"
        >
          <span role="cell"
            ><input
              type="checkbox"
              :checked="selected.has(clip.id)"
              :aria-label="`Select ${clip.name}`"
              @click="emit('pick', clip, ($event as MouseEvent).shiftKey)"
          /></span>
          <span role="cell" class="cut"><ClipName :clip="clip" /></span>
          <span role="cell" class="quiet cut" :title="skeletons.get(clip.skeleton_id)">{{
            skeletons.get(clip.skeleton_id)
          }}</span>
          <span role="cell" class="mono"
            >{{ clip.seconds.toFixed(2) }} s · {{ clip.frames }} f · {{ +clip.fps.toFixed(3) }} fps</span
          >
          <span role="cell" class="mono">{{ travel(clip) }}{{ clip.loop ? ' ⟳' : '' }}</span>
          <span role="cell" class="quiet">{{ day.format(new Date(clip.created)) }}</span>
          <span role="cell" class="quiet cut" :title="clip.tags.join(', ')">{{ clip.tags.join(', ') }}</span>
          <span role="cell" class="see"><SeeItOn :clip="clip" /></span>
        </div>
      </template>
    </v-virtual-scroll>
  </div>
</template>

<style scoped>
.list {
  height: 100%;
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.list > :deep(.v-virtual-scroll) {
  flex: 1;
  min-height: 0;
}
.line {
  display: grid;
  grid-template-columns: 26px minmax(120px, 2fr) minmax(70px, 1fr) 218px 84px 104px minmax(40px, 1fr) 122px;
  gap: 10px;
  align-items: center;
  height: 40px;
  padding: 0 20px;
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
  background: var(--panel);
}
@media (max-width: 1150px) {
  .line {
    grid-template-columns: 26px minmax(90px, 2fr) minmax(50px, 1fr) 210px 76px 0 0 122px;
    gap: 6px;
  }
  .line > :nth-child(6),
  .line > :nth-child(7) {
    visibility: hidden;
    overflow: hidden;
  }
}
.head {
  background: var(--paper);
  color: var(--quiet);
}
.head button {
  min-height: 28px;
  color: inherit;
}
.head [aria-sort='ascending'],
.head [aria-sort='descending'] {
  color: var(--ink);
  font-weight: 500;
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.line.selected,
.line.marked {
  box-shadow: inset 3px 0 var(--accent);
}
.mono {
  font-size: 12.5px;
  white-space: nowrap;
}
.see {
  justify-self: end;
}
</style>
