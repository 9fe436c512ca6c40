<script setup lang="ts">
import { useResizeObserver } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'

import { isOwnKey } from '@/shared/shortcuts/useShortcuts'
import { sameBody } from '@/stores/bodies'
import { useBoard, type ClipCell, type Mark } from '@/stores/board'
import type { Character } from '@/stores/cast'
import type { Clip } from '@/stores/library'
import BoardRow from './BoardRow.vue'
import FigurePlate from './FigurePlate.vue'
import { between, columnWidth, MARGIN, ROW, STEPS, TOP, type Entry } from './sheet'
import RowHead from './RowHead.vue'
import type { useSweep } from './useSweep'

/** The sheet of clips against characters. Only what is in sight is drawn. lit: what is asked for; other cells fade. */
const props = defineProps<{
  entries: Entry[]
  clips: Clip[]
  characters: Character[]
  sweep: ReturnType<typeof useSweep>
  lit: Mark[]
}>()
const emit = defineEmits<{
  open: [clip: Clip, character: Character]
  menu: [event: MouseEvent, clip: Clip, character: Character]
  seen: [cells: ClipCell[]]
}>()
const board = useBoard()
const sheet = ref<HTMLElement>()
const view = ref({ left: 0, top: 0, width: 1280, height: 600 })
const SPARE = 120
let drawing = false
let nudging: ReturnType<typeof setInterval> | undefined

const height = computed(() =>
  props.entries.length
    ? props.entries[props.entries.length - 1].top + props.entries[props.entries.length - 1].height
    : 0,
)
const column = computed(() => columnWidth(view.value.width, props.characters.length))
const width = computed(() => props.characters.length * column.value)
const pool = computed(() => Math.ceil((view.value.height + 2 * SPARE) / ROW) + 2)
/**
 * As many at any time, whatever is in sight: rows that leave at one end come in again at the other as others, which is
 * much less work for a browser than making new ones.
 */
const rows = computed(() =>
  between(props.entries, view.value.top - SPARE, view.value.top + view.value.height + SPARE, pool.value),
)
const keyOf = (entry: Entry) => (entry.kind === 'clip' ? entry.row % pool.value : entry.key)
// Numbers first: they seldom change while the sheet scrolls, and what hangs on them stays as it is.
const firstColumn = computed(() => Math.max(0, Math.floor((view.value.left - SPARE) / column.value)))
const lastColumn = computed(() =>
  Math.min(props.characters.length, Math.ceil((view.value.left + view.value.width - MARGIN + SPARE) / column.value)),
)
const columns = computed(() =>
  props.characters.slice(firstColumn.value, lastColumn.value).map((character, n) => ({
    character,
    column: firstColumn.value + n,
    left: (firstColumn.value + n) * column.value,
  })),
)

function look() {
  const element = sheet.value
  if (element)
    view.value = {
      left: element.scrollLeft,
      top: element.scrollTop,
      width: element.clientWidth,
      height: element.clientHeight - TOP,
    }
}
/** What has been in sight for a moment, for whoever works first on what is looked at. */
let seen: ReturnType<typeof setTimeout> | undefined
watch([rows, columns], () => {
  clearTimeout(seen)
  seen = setTimeout(
    () =>
      emit(
        'seen',
        rows.value.flatMap((entry) =>
          entry.kind === 'clip'
            ? columns.value.map(({ character }): ClipCell => [entry.clips[0].id, character.id])
            : [],
        ),
      ),
    400,
  )
})

function placeOf(event: MouseEvent) {
  const box = sheet.value!.getBoundingClientRect()
  const x = event.clientX - box.left + sheet.value!.scrollLeft - MARGIN
  const y = event.clientY - box.top + sheet.value!.scrollTop - TOP
  const [entry] = between(props.entries, y, y + 1)
  return { column: Math.floor(x / column.value), row: entry?.row ?? (y < 0 ? 0 : props.clips.length - 1) }
}
function press(event: PointerEvent, row: number, at: number) {
  if (event.button !== 0) return
  sheet.value?.focus({ preventScroll: true })
  const place = { row, column: at }
  if (event.shiftKey) props.sweep.extend(place)
  else props.sweep.begin(place, event.ctrlKey || event.metaKey)
  drawing = true
  sheet.value?.setPointerCapture(event.pointerId)
}
/** While the sheet holds the pointer, clicks are its own and not the cell's. */
function openAt(event: MouseEvent) {
  if ((event.target as Element).closest('button')) return
  const { row, column: at } = placeOf(event)
  const [clip, character] = [props.clips[row], props.characters[at]]
  if (clip && character) emit('open', clip, character)
}
/** The menu of a cell: where the pointer is, or of the one that has the focus where a key asked for it. */
function menu(event: MouseEvent) {
  const asKey = event.button !== 2 && !event.ctrlKey // with Ctrl, a Mac's only button
  const { row, column: at } = asKey ? props.sweep.at.value : placeOf(event)
  const [clip, character] = [props.clips[row], props.characters[at]]
  if (!clip || !character) return
  if (!props.sweep.cells.value.some(([a, b]) => a === clip.id && b === character.id))
    props.sweep.begin({ row, column: at }, false)
  emit('menu', event, clip, character)
}
let pointer: PointerEvent | undefined
function drag(event: PointerEvent) {
  if (!drawing) return
  pointer = event
  props.sweep.extend(placeOf(event))
  // At the edge the sheet moves on under the pointer.
  nudging ??= setInterval(() => {
    if (!pointer || !sheet.value) return
    const box = sheet.value.getBoundingClientRect()
    const past = (at: number, low: number, high: number) => (at < low ? at - low : at > high ? at - high : 0)
    const [x, y] = [
      past(pointer.clientX, box.left + MARGIN, box.right - 24),
      past(pointer.clientY, box.top + TOP, box.bottom - 24),
    ]
    if (!x && !y) return
    sheet.value.scrollBy(x / 3, y / 3)
    props.sweep.extend(placeOf(pointer))
  }, 30)
}
function release() {
  drawing = false
  clearInterval(nudging)
  nudging = pointer = undefined
}

const sweepRow = (entry: Entry, event: MouseEvent) =>
  props.sweep.toggle(
    entry.clips.flatMap((clip) =>
      props.characters
        .filter((character) => entry.kind === 'clip' || worth(clip, character))
        .map((character): ClipCell => [clip.id, character.id]),
    ),
    event.ctrlKey || event.metaKey || event.shiftKey,
  )
const sweepColumn = (character: Character, event: MouseEvent) =>
  props.sweep.toggle(
    props.clips.filter((clip) => worth(clip, character)).map((clip): ClipCell => [clip.id, character.id]),
    event.ctrlKey || event.metaKey || event.shiftKey,
  )
const worth = (clip: Clip, character: Character) =>
  sameBody(clip, character) || !!board.fitting(clip.skeleton_id, character.id)
const sweepAll = () => {
  const wanted = props.clips.flatMap((clip) =>
    props.characters
      .filter((character) => worth(clip, character))
      .map((character): ClipCell => [clip.id, character.id]),
  )
  props.sweep.clear()
  props.sweep.toggle(
    props.lit.length ? wanted.filter(([clip, character]) => board.is(clip, character, props.lit)) : wanted,
    false,
  )
}

function onKey(event: KeyboardEvent) {
  if (isOwnKey(event)) return // a heading is pressed by its own key
  const { at } = props.sweep
  const [clip, character] = [props.clips[at.value.row], props.characters[at.value.column]]
  const step = STEPS[event.key]
  if (step) {
    props.sweep.move(step[0], step[1], event.shiftKey)
    void reveal()
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'a') sweepAll()
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (event.key === ' ' && clip && character) props.sweep.toggle([[clip.id, character.id]], true)
  else if (event.key === 'Enter' && clip && character) emit('open', clip, character)
  else if (event.key === 'Escape') props.sweep.clear()
  else return
  event.preventDefault()
}
/** Scroll so far that the focused cell is in sight. */
async function reveal() {
  await nextTick()
  const element = sheet.value
  const entry = props.entries.find((row) => row.kind === 'clip' && row.row === props.sweep.at.value.row)
  if (!element || !entry) return
  const left = props.sweep.at.value.column * column.value
  const room = { height: element.clientHeight - TOP, width: element.clientWidth - MARGIN }
  if (entry.top < element.scrollTop) element.scrollTop = entry.top
  else if (entry.top + entry.height > element.scrollTop + room.height)
    element.scrollTop = entry.top + entry.height - room.height
  if (left < element.scrollLeft) element.scrollLeft = left
  else if (left + column.value > element.scrollLeft + room.width) element.scrollLeft = left + column.value - room.width
}
const focusCell = computed(() =>
  props.clips[props.sweep.at.value.row] && props.characters[props.sweep.at.value.column]
    ? `cell-${props.clips[props.sweep.at.value.row].id}.${props.characters[props.sweep.at.value.column].id}`
    : undefined,
)
defineExpose({ sweepAll, focus: () => sheet.value?.focus({ preventScroll: true }) })

onMounted(look)
useResizeObserver(sheet, look)
onBeforeUnmount(() => {
  clearTimeout(seen)
  clearInterval(nudging)
})
</script>

<template>
  <div
    ref="sheet"
    class="sheet"
    role="grid"
    tabindex="0"
    aria-label="Clips against characters"
    aria-multiselectable="true"
    :aria-rowcount="clips.length"
    :aria-colcount="characters.length"
    :aria-activedescendant="focusCell"
    @scroll.passive="look"
    @keydown="onKey"
    @contextmenu="menu"
    @pointermove="drag"
    @pointerup="release"
    @pointercancel="release"
    @dblclick="openAt"
  >
    <div class="top" role="row" :style="{ width: `${MARGIN + width}px` }">
      <div class="header" role="columnheader">
        <button class="plain corner" @click="sweepAll">Sweep all</button>
      </div>
      <div v-for="{ character, left } in columns" :key="character.id" class="header" role="columnheader">
        <button
          class="plain column"
          :style="{ left: `${MARGIN + left}px`, width: `${column}px` }"
          :title="`Sweep the column of ${character.name}`"
          @click="sweepColumn(character, $event)"
        >
          <FigurePlate :character="character" />
          <span class="name">{{ character.name }}</span>
        </button>
      </div>
    </div>
    <div class="body" :style="{ width: `${MARGIN + width}px`, height: `${height}px` }">
      <div class="rows" role="rowgroup">
        <div v-for="entry in rows" :key="keyOf(entry)" class="header" role="row">
          <div class="header" role="rowheader">
            <button
              v-if="entry.kind === 'skeleton'"
              class="plain heading"
              :style="{ top: `${entry.top}px`, width: `${MARGIN + width}px` }"
              :title="`Sweep what is recorded on “${entry.skeleton.name}”`"
              @click="sweepRow(entry, $event)"
            >
              <span>{{ entry.skeleton.name }}</span><span class="quiet"
                >{{ entry.skeleton.plan || 'no body plan' }} ·
                {{ entry.clips.length === 1 ? 'one clip' : `${entry.clips.length} clips` }}</span
              >
            </button>
            <RowHead v-else :entry="entry" @sweep="(event) => sweepRow(entry, event)" />
          </div>
        </div>
      </div>
      <div class="cells" role="rowgroup">
        <template v-for="entry in rows" :key="keyOf(entry)">
          <BoardRow
            v-if="entry.kind === 'clip'"
            :entry="entry"
            :columns="columns"
            :width="column"
            :sweep="sweep"
            :lit="lit"
            :focused="entry.row === sweep.at.value.row ? sweep.at.value.column : -1"
            @press="(event, at) => press(event, entry.row, at)"
          />
        </template>
      </div>
    </div>
  </div>
</template>

<style scoped>
/* There for whoever hears the sheet; what lies in it is placed by itself. */
.header {
  display: contents;
}
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
  height: 92px;
  background: var(--panel);
  border-bottom: 1px solid var(--hairline);
}
.corner {
  position: sticky;
  left: 0;
  z-index: 1;
  width: 272px;
  height: 91px;
  padding: 64px 20px 0;
  background: var(--panel);
  border-right: 1px solid var(--hairline);
  font-size: 14px;
  text-decoration: underline;
  text-decoration-color: var(--hairline);
  text-underline-offset: 3px;
}
.column {
  position: absolute;
  top: 0;
  height: 91px;
  padding: 6px 6px 5px;
  display: grid;
  grid-template-rows: 1fr auto;
  justify-items: center;
  border-right: 1px solid var(--hairline);
}
.column .name {
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.body {
  position: relative;
}
.rows {
  position: sticky;
  left: 0;
  z-index: 2;
  width: 272px;
  height: 0;
}
.cells {
  position: absolute;
  left: 272px;
  top: 0;
}
.heading {
  position: absolute;
  left: 0;
  height: 32px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 12px;
  background: var(--paper);
  border-bottom: 1px solid var(--hairline);
  font-weight: 500;
}
.heading .quiet {
  font-weight: 400;
  font-size: 13.5px;
}
.column:hover,
.heading:hover {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
