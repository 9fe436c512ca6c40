<script setup lang="ts">
import { ref } from 'vue'

import DraftInput from '@/shared/fields/DraftInput.vue'
import { useCallSheet, type Wanted, type WantedChange } from '@/stores/callSheet'
import { useMessages } from '@/stores/messages'
import PerformerChoice from './PerformerChoice.vue'
import WantedMark from './WantedMark.vue'

/** A wanted motion: what is said of it is written where it stands. */
const props = defineProps<{ row: Wanted; chosen: boolean }>()
const emit = defineEmits<{ choose: []; next: [] }>()
const sheet = useCallSheet()
const messages = useMessages()
/** The version on which somebody began to type. */
const base = ref<number>()
const begin = () => {
  base.value = props.row.lock_version
  emit('choose')
}
/** What was typed is made on the version on which that began; where others were before, both are said. */
function change(wanted: WantedChange) {
  const begun = base.value
  base.value = undefined
  void messages.attempt((again) => sheet.change(props.row.id, wanted, again ? null : begun), sheet.load)
}
const textOf = (event: Event) => (event.target as HTMLInputElement).value
function setVariants(event: Event) {
  const count = Number(textOf(event))
  if (Number.isInteger(count) && count !== props.row.variants) change({ variants: count })
}
const overdue = () =>
  props.row.due && props.row.state !== 'done' && props.row.due < new Date().toISOString().slice(0, 10)
const left = () =>
  props.row.state === 'to choose'
    ? props.row.fits === 1
      ? 'one fits'
      : `${props.row.fits} fit`
    : props.row.state === 'in work'
      ? `${props.row.clip_ids.length} of ${props.row.variants} chosen`
      : ''
</script>

<template>
  <li :class="['wanted', { chosen }]" :aria-current="chosen || undefined" @pointerdown="emit('choose')">
    <button
      class="plain state"
      :aria-label="`${row.motion}: ${row.state}`"
      @click="emit('choose')"
      @focus="emit('choose')"
    >
      <WantedMark :state="row.state" /><span>{{ row.state }}</span>
    </button>
    <DraftInput
      class="motion"
      :value="row.motion"
      aria-label="Motion"
      @focus="begin"
      @change="textOf($event).trim() && change({ motion: textOf($event) })"
      @keydown.enter="emit('next')"
    />
    <PerformerChoice :row="row" />
    <span class="left quiet">{{ left() }}</span>
    <div class="about">
      <label
        >mood <DraftInput :value="row.mood" aria-label="Mood" @focus="begin" @change="change({ mood: textOf($event) })"
      /></label>
      <label
        >prop <DraftInput :value="row.prop" aria-label="Prop" @focus="begin" @change="change({ prop: textOf($event) })"
      /></label>
      <label
        >variants
        <DraftInput
          class="mono count"
          inputmode="numeric"
          :value="row.variants"
          aria-label="Variants"
          @focus="begin"
          @change="setVariants"
      /></label>
      <label :class="{ overdue: overdue() }"
        >due
        <DraftInput
          type="date"
          class="mono"
          :value="row.due ?? ''"
          aria-label="Due"
          @focus="begin"
          @change="change({ due: textOf($event) || null })"
      /></label>
      <label class="note"
        >note <DraftInput :value="row.note" aria-label="Note" @focus="begin" @change="change({ note: textOf($event) })"
      /></label>
    </div>
  </li>
</template>

<style scoped>
.wanted {
  display: grid;
  grid-template-columns: 104px minmax(160px, 1fr) minmax(150px, 0.8fr) 92px;
  gap: 0 6px;
  align-items: center;
  padding: 5px 14px 5px 11px;
  border-bottom: 1px solid var(--hairline);
  border-left: 3px solid transparent;
  scroll-margin: 40px;
}
.chosen {
  background: var(--panel);
  border-left-color: var(--accent);
}
.state {
  display: inline-flex;
  align-items: center;
  gap: 7px;
  min-height: 28px;
  font-size: 14px;
}
input {
  min-width: 0;
  min-height: 26px;
  padding: 0 6px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
}
input:hover,
input:focus {
  border-color: var(--hairline);
  background: var(--panel);
}
.motion {
  font-size: 15.5px;
}
.left {
  font-size: 13.5px;
  text-align: right;
}
.about {
  grid-column: 2 / -1;
  display: flex;
  gap: 2px 12px;
  flex-wrap: wrap;
  font-size: 13px;
  color: var(--quiet);
}
.about label {
  display: inline-flex;
  align-items: center;
  gap: 3px;
}
.about input {
  color: var(--ink);
  width: 96px;
  font-size: 13.5px;
  border-bottom-color: var(--hairline);
}
.about .count {
  width: 38px;
}
.about input[type='date'] {
  width: 122px;
}
.about .note {
  flex: 1;
  min-width: 120px;
}
.note input {
  flex: 1;
}
.overdue,
.overdue input {
  color: var(--wrong);
}
</style>
