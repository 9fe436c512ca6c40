<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'

import { sameBody } from '@/stores/bodies'
import { useBoard, type Cell, type Mark, type State } from '@/stores/board'
import type { Character } from '@/stores/cast'
import ClipPlate from '@/library/ClipPlate.vue'
import type { Clip } from '@/stores/library'
import FigurePlate from './FigurePlate.vue'
import { between, columnWidth, MARGIN, TOP, type Entry } from './sheet'
import StateMark from './StateMark.vue'
import type { useSweep } from './useSweep'

/** The sheet of clips against characters. Only what is in sight is drawn. lit: what is asked for; other cells fade. */
const props = defineProps<{ entries: Entry[]; clips: Clip[]; characters: Character[]; sweep: ReturnType<typeof useSweep>; lit: Mark[] }>()
const emit = defineEmits<{ open: [clip: Clip, character: Character]; act: [key: string]; seen: [cells: Cell[]] }>()
const board = useBoard()
const sheet = ref<HTMLElement>()
const view = ref({ left: 0, top: 0, width: 1280, height: 600 })
const pointed = ref('')
const SPARE = 120
let watcher: ResizeObserver | undefined
let drawing = false
let nudging: ReturnType<typeof setInterval> | undefined

const height = computed(() => (props.entries.length ? props.entries[props.entries.length - 1].top + props.entries[props.entries.length - 1].height : 0))
const column = computed(() => columnWidth(view.value.width, props.characters.length))
const width = computed(() => props.characters.length * column.value)
const rows = computed(() => between(props.entries, view.value.top - SPARE, view.value.top + view.value.height + SPARE))
const columns = computed(() => {
  const first = Math.max(0, Math.floor((view.value.left - SPARE) / column.value))
  const last = Math.min(props.characters.length, Math.ceil((view.value.left + view.value.width - MARGIN + SPARE) / column.value))
  return props.characters.slice(first, last).map((one, n) => ({ one, column: first + n, left: (first + n) * column.value }))
})
const clipRows = computed(() => rows.value.filter((entry) => entry.kind === 'clip'))
interface Drawn { key: string; entry: Entry; clip: Clip; one: Character; row: number; column: number; left: number; state: State; kind: string; kept: boolean; note: boolean; chosen: boolean; faded: boolean }
const cells = computed<Drawn[]>(() =>
  clipRows.value.flatMap((entry) =>
    columns.value.map(({ one, column, left }) => {
      const clip = entry.clips[0]
      const state = board.state(clip.id, one.id)
      const fitting = board.fitting(clip.skeleton_id, one.id)
      const kind = fitting ? (fitting.sure ? 'fitted' : 'proposed') : sameBody(clip, one) ? 'unfitted' : 'other'
      return {
        key: `${clip.id}.${one.id}`, entry, clip, one, row: entry.row, column, left, state, kind,
        kept: board.keepsAccepted(clip.id, one.id), note: board.sentBack(clip.id, one.id),
        chosen: props.sweep.has(clip.id, one.id), faded: props.lit.length > 0 && !board.is(clip.id, one.id, props.lit),
      }
    }),
  ),
)
const ABOUT: Record<string, string> = {
  fitted: '', proposed: 'its fitting is proposed, not confirmed', unfitted: 'no fitting yet; one is proposed with the first transfer',
  other: 'another body; pair the two by hand in a fitting',
}
function about(cell: Drawn) {
  const more = [cell.kept && cell.state !== 'accepted' && 'an accepted result is kept', cell.note && 'sent back', ABOUT[cell.kind]].filter(Boolean)
  return `${cell.clip.name} on ${cell.one.name}: ${cell.state}${more.length ? `; ${more.join('; ')}` : ''}`
}

function look() {
  const element = sheet.value
  if (element) view.value = { left: element.scrollLeft, top: element.scrollTop, width: element.clientWidth, height: element.clientHeight - TOP }
}
/** What has been in sight for a moment, for whoever works first on what is looked at. */
let seen: ReturnType<typeof setTimeout> | undefined
watch([rows, columns], () => {
  clearTimeout(seen)
  seen = setTimeout(() => emit('seen', cells.value.map((cell) => [cell.clip.id, cell.one.id])), 400)
})

function placeOf(event: MouseEvent) {
  const box = sheet.value!.getBoundingClientRect()
  const x = event.clientX - box.left + sheet.value!.scrollLeft - MARGIN
  const y = event.clientY - box.top + sheet.value!.scrollTop - TOP
  const [entry] = between(props.entries, y, y + 1)
  return { column: Math.floor(x / column.value), row: entry?.row ?? (y < 0 ? 0 : props.clips.length - 1) }
}
function press(event: PointerEvent, cell: Drawn) {
  if (event.button !== 0) return
  sheet.value?.focus({ preventScroll: true })
  const place = { row: cell.row, column: cell.column }
  if (event.shiftKey) props.sweep.extend(place)
  else props.sweep.begin(place, event.ctrlKey || event.metaKey)
  drawing = true
  sheet.value?.setPointerCapture(event.pointerId)
}
/** While the sheet holds the pointer, clicks are its own and not the cell's. */
function openAt(event: MouseEvent) {
  if ((event.target as Element).closest('button')) return
  const { row, column: at } = placeOf(event)
  const [clip, one] = [props.clips[row], props.characters[at]]
  if (clip && one) emit('open', clip, one)
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
    const [x, y] = [past(pointer.clientX, box.left + MARGIN, box.right - 24), past(pointer.clientY, box.top + TOP, box.bottom - 24)]
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
  props.sweep.toggle(entry.clips.flatMap((clip) => props.characters.filter((one) => entry.kind === 'clip' || worth(clip, one)).map((one): Cell => [clip.id, one.id])), event.ctrlKey || event.metaKey || event.shiftKey)
const sweepColumn = (one: Character, event: MouseEvent) =>
  props.sweep.toggle(props.clips.filter((clip) => worth(clip, one)).map((clip): Cell => [clip.id, one.id]), event.ctrlKey || event.metaKey || event.shiftKey)
const worth = (clip: Clip, one: Character) => sameBody(clip, one) || !!board.fitting(clip.skeleton_id, one.id)
const sweepAll = () => {
  const wanted = props.clips.flatMap((clip) => props.characters.filter((one) => worth(clip, one)).map((one): Cell => [clip.id, one.id]))
  props.sweep.clear()
  props.sweep.toggle(props.lit.length ? wanted.filter(([clip, one]) => board.is(clip, one, props.lit)) : wanted, false)
}

const STEPS: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], PageUp: [-8, 0], PageDown: [8, 0], Home: [0, -9999], End: [0, 9999] }
function onKey(event: KeyboardEvent) {
  const { at } = props.sweep
  const [clip, one] = [props.clips[at.value.row], props.characters[at.value.column]]
  const step = STEPS[event.key]
  if (step) {
    props.sweep.move(step[0], step[1], event.shiftKey)
    void reveal()
  } else if ((event.ctrlKey || event.metaKey) && event.key === 'a') sweepAll()
  else if (event.ctrlKey || event.metaKey || event.altKey) return
  else if (event.key === ' ' && clip && one) props.sweep.toggle([[clip.id, one.id]], true)
  else if (event.key === 'Enter' && clip && one) emit('open', clip, one)
  else if (event.key === 'Escape') props.sweep.clear()
  else if (event.key.length === 1 || event.key === 'Delete') return emit('act', event.key)
  else return
  event.preventDefault()
}
/** Scroll so far that the focused cell is in sight. */
async function reveal() {
  await nextTick()
  const element = sheet.value
  const entry = props.entries.find((one) => one.kind === 'clip' && one.row === props.sweep.at.value.row)
  if (!element || !entry) return
  const left = props.sweep.at.value.column * column.value
  const room = { height: element.clientHeight - TOP, width: element.clientWidth - MARGIN }
  if (entry.top < element.scrollTop) element.scrollTop = entry.top
  else if (entry.top + entry.height > element.scrollTop + room.height) element.scrollTop = entry.top + entry.height - room.height
  if (left < element.scrollLeft) element.scrollLeft = left
  else if (left + column.value > element.scrollLeft + room.width) element.scrollLeft = left + column.value - room.width
}
const focusCell = computed(() => props.clips[props.sweep.at.value.row] && props.characters[props.sweep.at.value.column] ? `cell-${props.clips[props.sweep.at.value.row].id}.${props.characters[props.sweep.at.value.column].id}` : undefined)
defineExpose({ sweepAll, focus: () => sheet.value?.focus({ preventScroll: true }) })

onMounted(() => {
  look()
  watcher = new ResizeObserver(look)
  watcher.observe(sheet.value!)
})
onBeforeUnmount(() => {
  watcher?.disconnect()
  clearTimeout(seen)
  clearInterval(nudging)
})
</script>

<template>
  <div
    ref="sheet" class="sheet" role="grid" tabindex="0" aria-label="Clips against characters" aria-multiselectable="true"
    :aria-rowcount="clips.length" :aria-colcount="characters.length" :aria-activedescendant="focusCell"
    @scroll.passive="look" @keydown="onKey" @pointermove="drag" @pointerup="release" @pointercancel="release" @dblclick="openAt"
  >
    <div class="top" :style="{ width: `${MARGIN + width}px` }">
      <button class="plain corner" @click="sweepAll">Sweep all</button>
      <button v-for="{ one, left } in columns" :key="one.id" class="plain column" :style="{ left: `${MARGIN + left}px`, width: `${column}px` }" :title="`Sweep the column of ${one.name}`" @click="sweepColumn(one, $event)">
        <FigurePlate :character="one" />
        <span class="name">{{ one.name }}</span>
      </button>
    </div>
    <div class="body" :style="{ width: `${MARGIN + width}px`, height: `${height}px` }">
      <div class="rows">
        <template v-for="entry in rows" :key="entry.key">
          <button v-if="entry.kind === 'skeleton'" class="plain heading" :style="{ top: `${entry.top}px`, width: `${MARGIN + width}px` }" :title="`Sweep what is recorded on “${entry.skeleton.name}”`" @click="sweepRow(entry, $event)">
            <span>{{ entry.skeleton.name }}</span><span class="quiet">{{ entry.skeleton.plan || 'no body plan' }} · {{ entry.clips.length === 1 ? 'one clip' : `${entry.clips.length} clips` }}</span>
          </button>
          <button v-else class="plain clip" :style="{ top: `${entry.top}px` }" :title="`Sweep the row of ${entry.clips[0].name}`" @click="sweepRow(entry, $event)" @mouseenter="pointed = entry.key" @mouseleave="pointed = ''">
            <span class="plate"><ClipPlate :clip="entry.clips[0]" :playing="pointed === entry.key" /></span>
            <span class="words"><span class="name">{{ entry.clips[0].name }}</span><span class="quiet mono">{{ entry.clips[0].seconds.toFixed(1) }} s</span></span>
          </button>
        </template>
      </div>
      <div
        v-for="cell in cells" :id="`cell-${cell.key}`" :key="cell.key" role="gridcell"
        :class="['cell', cell.kind, { chosen: cell.chosen, faded: cell.faded, focus: cell.row === sweep.at.value.row && cell.column === sweep.at.value.column }]"
        :style="{ top: `${cell.entry.top}px`, left: `${MARGIN + cell.left}px`, width: `${column}px` }" :aria-selected="cell.chosen" :aria-label="about(cell)" :title="about(cell)"
        @pointerdown="press($event, cell)"
      >
        <template v-if="cell.kind === 'other' && cell.state === 'not yet'"><span class="quiet" aria-hidden="true">—</span></template>
        <template v-else-if="cell.kind === 'unfitted' && cell.state === 'not yet'"><span class="quiet">no fitting</span></template>
        <template v-else><StateMark :state="cell.state" :kept="cell.kept" /><span>{{ cell.state }}</span><span v-if="cell.note" class="note" aria-hidden="true">sent back</span></template>
      </div>
    </div>
  </div>
</template>

<style scoped>
.sheet { position: relative; flex: 1; min-height: 0; overflow: auto; background: var(--panel); border-top: 1px solid var(--hairline); border-bottom: 1px solid var(--hairline); outline: none; user-select: none; }
.top { position: sticky; top: 0; z-index: 3; height: 92px; background: var(--panel); border-bottom: 1px solid var(--hairline); }
.corner { position: sticky; left: 0; z-index: 1; width: 272px; height: 91px; padding: 64px 20px 0; background: var(--panel); border-right: 1px solid var(--hairline); font-size: 14px; text-decoration: underline; text-decoration-color: var(--hairline); text-underline-offset: 3px; }
.column { position: absolute; top: 0; height: 91px; padding: 6px 6px 5px; display: grid; grid-template-rows: 1fr auto; justify-items: center; border-right: 1px solid var(--hairline); }
.column .name { max-width: 100%; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.body { position: relative; }
.rows { position: sticky; left: 0; z-index: 2; width: 272px; height: 0; }
.clip { position: absolute; left: 0; width: 272px; height: 56px; display: flex; align-items: center; gap: 12px; padding: 0 10px 0 12px; background: var(--panel); border-right: 1px solid var(--hairline); border-bottom: 1px solid var(--hairline); }
.plate { width: 116px; height: 50px; flex: none; }
.words { min-width: 0; display: grid; }
.words .name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.words .mono { font-size: 12.5px; }
.heading { position: absolute; left: 0; height: 32px; display: flex; align-items: center; gap: 14px; padding: 0 12px; background: var(--paper); border-bottom: 1px solid var(--hairline); font-weight: 500; }
.heading .quiet { font-weight: 400; font-size: 13.5px; }
.cell { position: absolute; height: 56px; display: flex; align-items: center; justify-content: center; gap: 7px; flex-wrap: wrap; align-content: center; border-right: 1px solid var(--hairline); border-bottom: 1px solid var(--hairline); font-size: 14px; cursor: default; contain: strict; }
.cell.proposed::after { content: ''; position: absolute; left: 12px; right: 12px; bottom: 6px; border-bottom: 1.5px dashed var(--quiet); opacity: 0.6; }
.cell.chosen { background: color-mix(in srgb, var(--accent) 13%, var(--panel)); box-shadow: inset 0 0 0 1px color-mix(in srgb, var(--accent) 55%, var(--panel)); }
.cell.faded > * { opacity: 0.28; }
.sheet:focus-visible .cell.focus { outline: 2px solid var(--accent); outline-offset: -2px; }
.note { width: 100%; text-align: center; font-size: 12px; line-height: 1; color: var(--wrong); }
.clip:hover, .column:hover, .heading:hover { background: rgb(var(--v-theme-surface-variant)); }
</style>
