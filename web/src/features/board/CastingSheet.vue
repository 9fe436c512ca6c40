<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'

import ClipPlate from '@/features/library/ClipPlate.vue'
import { isOwnKey } from '@/shared/shortcuts/useShortcuts'
import { useBoard, type Mark } from '@/stores/board'
import type { EnsembleSummary } from '@/stores/ensembles'
import { useLibrary } from '@/stores/library'
import { STEPS } from './sheet'
import StateMark from './StateMark.vue'
import type { useCastingSweep } from './useCastingSweep'

/** The sheet of ensembles, each with a cell for every casting. lit: what is asked for; other cells fade. */
const props = defineProps<{
  rows: EnsembleSummary[]
  sweep: ReturnType<typeof useCastingSweep>
  lit: Mark[]
}>()
const emit = defineEmits<{ open: [casting: number]; menu: [event: MouseEvent, casting: number] }>()
const board = useBoard()
const library = useLibrary()
const sheet = ref<HTMLElement>()
const PLATES = 2

const entries = computed(() =>
  props.rows.map((row, n) => ({
    row,
    n,
    ids: row.castings.map((casting) => casting.id),
    clips: row.clip_ids.map((id) => library.clip(id)).filter((clip) => clip !== undefined),
    cells: row.castings.map(({ id, name }) => {
      const state = board.castingState(id)
      const kept = board.castingKeepsAccepted(id)
      const note = board.castingSentBack(id)
      const more = [kept && state !== 'accepted' && 'an accepted result is kept', note && 'sent back'].filter(Boolean)
      return {
        id,
        name,
        state,
        kept,
        note,
        about: `${row.name} by ${name}: ${state}${more.length ? `; ${more.join('; ')}` : ''}`,
        chosen: props.sweep.chosen.value.has(id),
        faded: props.lit.length > 0 && !board.castingIs(id, props.lit),
      }
    }),
  })),
)
const every = computed(() => entries.value.flatMap((entry) => entry.cells))
function sweepAll() {
  const wanted = every.value.filter((cell) => !cell.faded).map((cell) => cell.id)
  props.sweep.clear()
  props.sweep.toggle(wanted, false)
}
const focused = computed(() => props.sweep.idAt(props.sweep.at.value))
const many = (event: MouseEvent) => event.ctrlKey || event.metaKey || event.shiftKey
function press(event: PointerEvent, id: number) {
  if (event.button !== 0) return
  if (event.shiftKey) props.sweep.extend(id)
  else props.sweep.begin(id, event.ctrlKey || event.metaKey)
}
function menu(event: MouseEvent) {
  const asKey = event.button !== 2 && !event.ctrlKey // with Ctrl, a Mac's only button
  const cell = (event.target as Element).closest<HTMLElement>('[data-casting]')
  const id = asKey ? focused.value : Number(cell?.dataset.casting)
  if (!id) return
  if (!props.sweep.chosen.value.has(id)) props.sweep.begin(id, false)
  emit('menu', event, id)
}
function onKey(event: KeyboardEvent) {
  if (isOwnKey(event)) return // a heading or a link is pressed by its own key
  const step = STEPS[event.key]
  const id = focused.value
  if (step) {
    props.sweep.move(step[0], step[1], event.shiftKey)
    void nextTick(() => document.getElementById(`casting-${focused.value}`)?.scrollIntoView({ block: 'nearest' }))
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'a') sweepAll()
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (event.key === ' ' && id) props.sweep.toggle([id], true)
  else if (event.key === 'Enter' && id) emit('open', id)
  else if (event.key === 'Escape') props.sweep.clear()
  else return
  event.preventDefault()
}
defineExpose({ focus: () => sheet.value?.focus({ preventScroll: true }) })
</script>

<template>
  <div
    ref="sheet"
    class="sheet"
    role="grid"
    tabindex="0"
    aria-label="Ensembles and their castings"
    aria-multiselectable="true"
    :aria-activedescendant="focused ? `casting-${focused}` : undefined"
    @keydown="onKey"
    @contextmenu="menu"
  >
    <div class="top" role="row">
      <span role="columnheader"
        ><button class="plain all" :disabled="!every.length" @click="sweepAll">Sweep all</button></span
      >
      <span class="quiet" role="columnheader">castings</span>
    </div>
    <div v-for="{ row, n, ids, clips, cells } in entries" :key="row.id" class="row" role="row" :aria-rowindex="n + 1">
      <div class="head" role="rowheader">
        <button
          class="plain ensemble"
          :title="`Sweep the row of ${row.name}`"
          :disabled="!ids.length"
          @click="sweep.toggle(ids, many($event))"
        >
          <span class="plates"
            ><span v-for="clip in clips.slice(0, PLATES)" :key="clip.id" class="plate"><ClipPlate :clip="clip" /></span
          ></span>
          <span class="words"
            ><span class="name">{{ row.name }}</span
            ><span class="quiet small">{{ [...row.performers, ...row.props].join(', ') }}</span></span
          >
        </button>
      </div>
      <div
        v-for="cell in cells"
        :id="`casting-${cell.id}`"
        :key="cell.id"
        role="gridcell"
        :data-casting="cell.id"
        :class="['cell', { chosen: cell.chosen, faded: cell.faded, focus: cell.id === focused }]"
        :aria-selected="cell.chosen"
        :aria-label="cell.about"
        :title="cell.about"
        @pointerdown="press($event, cell.id)"
        @dblclick="emit('open', cell.id)"
      >
        <span class="who">{{ cell.name }}</span>
        <span class="state"><StateMark :state="cell.state" :kept="cell.kept" /> {{ cell.state }}</span>
        <span v-if="cell.note" class="note" aria-hidden="true">sent back</span>
      </div>
      <div class="more" role="gridcell">
        <router-link :to="`/ensembles/${row.id}`" :aria-label="`Cast ${row.name}`">{{
          cells.length ? 'Cast it otherwise' : 'Cast it'
        }}</router-link>
      </div>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: auto;
  background: var(--panel);
  border-top: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
  outline: none;
  user-select: none;
}
.top {
  position: sticky;
  top: 0;
  z-index: 3;
  display: flex;
  align-items: baseline;
  min-width: max-content;
  background: var(--panel);
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
}
.top > :first-child {
  position: sticky;
  left: 0;
  width: 336px;
  padding: 6px 20px;
  background: inherit;
}
.all {
  text-decoration: underline;
  text-decoration-color: var(--hairline);
  text-underline-offset: 3px;
}
.row {
  display: flex;
  height: 60px;
  min-width: max-content;
}
.row > div {
  border-right: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
}
.row > .more {
  border-right: 0;
  flex: 1;
}
.head {
  position: sticky;
  left: 0;
  z-index: 2;
  width: 336px;
  flex: none;
  background: var(--panel);
}
.ensemble {
  width: 100%;
  height: 100%;
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 0 10px 0 12px;
}
.ensemble:hover:not(:disabled) {
  background: rgb(var(--v-theme-surface-variant));
}
.plates {
  display: flex;
  width: 148px;
  height: 50px;
  flex: none;
}
.plate {
  flex: 1;
  min-width: 0;
}
.words {
  min-width: 0;
  display: grid;
}
.name,
.small,
.who {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.small {
  font-size: 12.5px;
}
.cell {
  position: relative;
  width: 176px;
  flex: none;
  display: grid;
  align-content: center;
  gap: 2px;
  padding: 0 12px;
  font-size: 14px;
  cursor: default;
  overflow: hidden;
}
.state {
  display: inline-flex;
  align-items: center;
  gap: 6px;
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
  position: absolute;
  right: 8px;
  bottom: 6px;
  font-size: 12px;
  color: var(--wrong);
}
.more {
  display: flex;
  align-items: center;
  padding: 0 14px;
  font-size: 14px;
}
</style>
