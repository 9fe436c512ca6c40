<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

import type { Rule } from '@/stores/intake'

/**
 * A naming rule as chips in a row: fields that are filled in for each clip, and plain words between them. Chips are
 * moved with the arrow keys or by dragging, and taken out with Delete.
 */
const props = defineProps<{ rule: Rule; sample?: string }>()
const emit = defineEmits<{ change: [style: string, pieces: Rule['pieces']] }>()
type Piece = { field?: string; width?: number; word?: string }
const pieces = ref<Piece[]>([])
const row = ref<HTMLElement>()
const dragged = ref(-1)

watch(
  () => props.rule,
  (rule) => (pieces.value = (rule.pieces as Piece[]).map((piece) => ({ ...piece }))),
  { immediate: true },
)
function say(style = props.rule.style) {
  const filled = pieces.value.filter((piece) => piece.field || piece.word)
  emit('change', style, filled as Rule['pieces'])
}
function addField(field: string) {
  const before = pieces.value[pieces.value.length - 1]
  // Two fields in a row want a space between them.
  if (before?.field) pieces.value.push({ word: ' ' })
  pieces.value.push({ field, width: 2 })
  say()
}
async function addWord() {
  pieces.value.push({ word: '' })
  await nextTick()
  const inputs = row.value?.querySelectorAll('input')
  inputs?.[inputs.length - 1]?.focus()
}
function remove(at: number) {
  pieces.value.splice(at, 1)
  say()
  focus(at - 1)
}
function move(from: number, to: number) {
  if (to < 0 || to >= pieces.value.length || from === to) return
  const [piece] = pieces.value.splice(from, 1)
  pieces.value.splice(to, 0, piece)
  say()
  focus(to)
}
/** Go on with a piece, or with the first where there is none before it. */
function focus(at: number) {
  void nextTick(() => {
    const piece = row.value?.querySelectorAll<HTMLElement>('.piece')[Math.max(0, at)]
    const target = piece?.querySelector<HTMLElement>('.field') ?? piece
    target?.focus()
  })
}
function key(at: number, event: KeyboardEvent) {
  if (event.key === 'ArrowLeft') move(at, at - 1)
  else if (event.key === 'ArrowRight') move(at, at + 1)
  else if (event.key === 'Delete' || event.key === 'Backspace') remove(at)
  else return
  event.preventDefault()
}
function drop(at: number) {
  if (dragged.value >= 0) move(dragged.value, at)
  dragged.value = -1
}
</script>

<template>
  <div class="rule" role="group" aria-label="Naming rule">
    <div ref="row" class="row">
      <template v-for="(piece, n) in pieces" :key="n">
        <span
          v-if="piece.field"
          class="piece chip"
          draggable="true"
          @keydown="key(n, $event)"
          @dragstart="dragged = n"
          @dragover.prevent
          @drop.prevent.stop="drop(n)"
        >
          <button class="plain field" :title="`Arrow keys move ${piece.field}, Delete takes it out`">
            {{ piece.field }}
          </button>
          <select
            v-if="piece.field === 'number'"
            v-model.number="piece.width"
            aria-label="Digits of the number"
            @keydown.stop
            @change="say()"
          >
            <option v-for="digits in 6" :key="digits" :value="digits">{{ '0'.repeat(digits - 1) }}1</option>
          </select>
          <button class="plain off" :aria-label="`Take out ${piece.field}`" @click="remove(n)">×</button>
        </span>
        <input
          v-else
          v-model="piece.word"
          class="piece word-field mono"
          :style="{ width: `${Math.max(3, (piece.word ?? '').length + 1)}ch` }"
          aria-label="Words between fields"
          @change="say()"
          @keydown.enter="say()"
        />
      </template>
      <v-menu>
        <template #activator="{ props: menu }"><button class="plain add" v-bind="menu">+ field</button></template>
        <v-list density="compact">
          <v-list-item v-for="field in rule.fields" :key="field" :title="field" @click="addField(field)" />
        </v-list>
      </v-menu>
      <button class="plain add" @click="addWord">+ words</button>
    </div>
    <select :value="rule.style" aria-label="Style of names" @change="say(($event.target as HTMLSelectElement).value)">
      <option v-for="style in rule.styles" :key="style">{{ style }}</option>
    </select>
    <span v-if="sample" class="sample mono" :title="sample">{{ sample }}</span>
  </div>
</template>

<style scoped>
.rule {
  display: flex;
  align-items: center;
  gap: 10px;
  min-width: 0;
}
.row {
  display: flex;
  align-items: center;
  gap: 2px;
  flex-wrap: wrap;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--panel);
  padding: 2px 6px;
  min-height: 34px;
}
.chip {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  background: rgb(var(--v-theme-surface-variant));
  border: 1px solid var(--hairline);
  border-radius: 12px;
  padding: 1px 4px 1px 10px;
  font-size: 14px;
  cursor: grab;
  min-height: 24px;
}
.field {
  cursor: grab;
  min-height: 24px;
}
.off {
  width: 24px;
  height: 24px;
  text-align: center;
  color: var(--quiet);
}
.word-field {
  border: 0;
  border-bottom: 1px dotted var(--quiet);
  background: none;
  color: inherit;
  font-size: 14px;
  padding: 2px 1px;
  text-align: center;
  min-width: 24px;
  min-height: 24px;
}
.add {
  color: var(--quiet);
  font-size: 13.5px;
  padding: 2px 6px;
  min-height: 24px;
}
.add:hover {
  color: var(--ink);
  text-decoration: underline;
}
select {
  font-size: 13.5px;
}
.chip select {
  border: 0;
  background-color: transparent;
  background-position: right center;
  min-height: 24px;
  padding: 0 14px 0 0;
  font-family: var(--mono);
  font-size: 12.5px;
}
.sample {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
  font-size: 13px;
  color: var(--quiet);
}
</style>
