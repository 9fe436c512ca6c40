<script setup lang="ts">
import { computed } from 'vue'

import { sameBody } from '@/stores/bodies'
import { useBoard, type Mark } from '@/stores/board'
import type { Character } from '@/stores/cast'
import type { Entry } from './sheet'
import StateMark from './StateMark.vue'
import type { useSweep } from './useSweep'

/**
 * The cells of one clip. A row of its own, so that those that stay in sight are not made again while the sheet
 * scrolls.
 */
const props = defineProps<{
  entry: Entry
  columns: { character: Character; column: number; left: number }[]
  width: number
  sweep: ReturnType<typeof useSweep>
  lit: Mark[]
  /** Column of the cell with the keyboard's focus, or -1. */
  focused: number
}>()
const emit = defineEmits<{ press: [event: PointerEvent, column: number] }>()
const board = useBoard()

const cells = computed(() => {
  const clip = props.entry.clips[0]
  return props.columns.map(({ character, column, left }) => {
    const state = board.state(clip.id, character.id)
    const fitting = board.fitting(clip.skeleton_id, character.id)
    const kind = fitting ? (fitting.sure ? 'fitted' : 'proposed') : sameBody(clip, character) ? 'unfitted' : 'other'
    const kept = board.keepsAccepted(clip.id, character.id)
    const note = board.sentBack(clip.id, character.id)
    const excepted = board.hasException(clip.id, character.id)
    const more = [
      kept && state !== 'accepted' && 'an accepted result is kept',
      note && 'sent back',
      excepted && 'with settings of its own',
      ABOUT[kind],
    ].filter(Boolean)
    return {
      id: `cell-${clip.id}.${character.id}`,
      column,
      left,
      state,
      kind,
      kept,
      note,
      excepted,
      about: `${clip.name} on ${character.name}: ${state}${more.length ? `; ${more.join('; ')}` : ''}`,
      chosen: props.sweep.has(clip.id, character.id),
      faded: props.lit.length > 0 && !board.is(clip.id, character.id, props.lit),
    }
  })
})
const ABOUT: Record<string, string> = {
  fitted: '',
  proposed: 'its fitting is proposed, not confirmed',
  unfitted: 'no fitting yet; one is proposed with the first transfer',
  other: 'another body; pair the two by hand in a fitting',
}
</script>

<template>
  <div class="row" role="row" :aria-rowindex="entry.row + 1" :style="{ top: `${entry.top}px` }">
    <div
      v-for="cell in cells"
      :id="cell.id"
      :key="cell.column"
      role="gridcell"
      :aria-colindex="cell.column + 1"
      :class="['cell', cell.kind, { chosen: cell.chosen, faded: cell.faded, focus: cell.column === focused }]"
      :style="{ left: `${cell.left}px`, width: `${width}px` }"
      :aria-selected="cell.chosen"
      :aria-label="cell.about"
      :title="cell.about"
      @pointerdown="emit('press', $event, cell.column)"
    >
      <span v-if="cell.kind === 'other' && cell.state === 'not yet'" class="quiet" aria-hidden="true">—</span>
      <span v-else-if="cell.kind === 'unfitted' && cell.state === 'not yet'" class="quiet">no fitting</span>
      <template v-else
        ><StateMark :state="cell.state" :kept="cell.kept" /><span>{{ cell.state }}</span>
        <span v-if="cell.excepted && !cell.note" class="note own" aria-hidden="true">settings of its own</span>
        <span v-if="cell.note" class="note" aria-hidden="true">sent back</span></template
      >
    </div>
  </div>
</template>

<style scoped>
.row {
  position: absolute;
  left: 0;
}
.cell {
  position: absolute;
  top: 0;
  height: 56px;
  display: flex;
  align-items: center;
  justify-content: center;
  gap: 7px;
  flex-wrap: wrap;
  align-content: center;
  border-right: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
  cursor: default;
  overflow: hidden;
}
.proposed::after {
  content: '';
  position: absolute;
  left: 12px;
  right: 12px;
  bottom: 6px;
  border-bottom: 1.5px dashed var(--quiet);
  opacity: 0.6;
}
.chosen {
  background: color-mix(in srgb, var(--accent) 13%, var(--panel));
  box-shadow: inset 0 0 0 1px color-mix(in srgb, var(--accent) 55%, var(--panel));
}
.faded > * {
  opacity: 0.28;
}
.sheet:focus-visible .focus {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.note {
  width: 100%;
  text-align: center;
  font-size: 12px;
  line-height: 1;
  color: var(--wrong);
}
.own {
  color: var(--quiet);
}
</style>
