<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { firstFrame, lengthStep, lengthUnit, metresOf } from '@/shared/units'
import type { NumberField } from './numberField'

/** A number that is typed, drawn by its label, or changed by arrow keys; Shift makes steps of ten. */
const props = defineProps<{ field: NumberField; value: number | null; of: string }>()
const emit = defineEmits<{ try: [value: number | null]; keep: [value: number | null] }>()
const isLength = computed(() => props.field.unit === 'cm')
const unit = computed(() => (isLength.value ? lengthUnit.value : props.field.unit))
/** So many of the unit that is shown are one of the value, which is in metres where it is a length. */
const scale = computed(() => (isLength.value ? 1 / metresOf(1) : (props.field.scale ?? 1)))
/** The number of the first frame, where it is of a frame. */
const offset = computed(() => (props.field.type === 'frame' ? firstFrame.value : 0))
const shown = (value: number | null) =>
  value === null ? '' : `${+(value * scale.value + offset.value).toFixed(isLength.value ? 3 : 2)}`
const text = ref(shown(props.value))
const now = ref(props.value)
let typing = false
watch(
  () => props.value,
  (value) => {
    now.value = value
    if (!typing) text.value = shown(value)
  },
)
const within = (value: number) => {
  const { least, most, type, scale = 1 } = props.field
  const whole = type === 'frame' || props.field.unit === 'f' || props.field.path === 'times' ? Math.round(value) : value
  return Math.min(most / scale, Math.max(least / scale, whole))
}
function set(value: number) {
  now.value = within(value)
  text.value = shown(now.value)
  emit('try', now.value)
}
let settling: ReturnType<typeof setTimeout> | undefined
/** Keys in a row are one change. */
function keepSoon() {
  clearTimeout(settling)
  settling = setTimeout(keep, 500)
}
function keep() {
  clearTimeout(settling)
  settling = undefined
  if (now.value !== props.value) emit('keep', now.value)
}
const by = (event: { shiftKey: boolean }) =>
  ((props.field.step * (isLength.value ? lengthStep() : 1)) / scale.value) * (event.shiftKey ? 10 : 1)
function key(event: KeyboardEvent) {
  const direction = { ArrowUp: 1, ArrowDown: -1 }[event.key]
  if (event.key === 'Escape') {
    text.value = shown(props.value)
    now.value = props.value
  }
  if (!direction) return
  event.preventDefault()
  set((now.value ?? 0) + direction * by(event))
  keepSoon()
}
function typed() {
  const wanted = text.value.trim().replace(',', '.')
  if (wanted === '' && props.field.empty !== undefined) now.value = null
  else if (wanted !== '' && Number.isFinite(Number(wanted)))
    now.value = within((Number(wanted) - offset.value) / scale.value)
  text.value = shown(now.value)
  keep()
}
function leave() {
  typing = false
  if (settling) keep()
}
function draw(event: PointerEvent) {
  const handle = event.currentTarget as HTMLElement
  handle.setPointerCapture(event.pointerId)
  const [from, begun] = [event.clientX, now.value ?? 0]
  const move = (next: PointerEvent) => {
    const steps = Math.round((next.clientX - from) / 4)
    if (steps || now.value !== begun) set(begun + steps * by(next))
  }
  handle.addEventListener('pointermove', move)
  handle.addEventListener('lostpointercapture', () => (handle.removeEventListener('pointermove', move), keep()), {
    once: true,
  })
}
onBeforeUnmount(() => clearTimeout(settling))
</script>

<template>
  <label class="box">
    <span class="quiet handle" title="Draw it to the right or left" @pointerdown.prevent="draw">{{ field.label }}</span>
    <input
      v-model="text"
      inputmode="decimal"
      :placeholder="field.empty"
      :aria-label="`${of}, ${field.label}${unit && ` ${unit}`}`"
      :class="{ wide: field.empty }"
      @focus="typing = true"
      @blur="leave"
      @change="typed"
      @keydown="key"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <span v-if="unit" class="quiet">{{ unit }}</span>
  </label>
</template>

<style scoped>
.box {
  display: inline-flex;
  align-items: baseline;
  gap: 4px;
  white-space: nowrap;
}
.handle {
  cursor: ew-resize;
  touch-action: none;
  user-select: none;
}
input {
  width: 3.1rem;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 1px 4px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 13px;
  text-align: right;
  min-height: 24px;
}
input.wide {
  width: 4.9rem;
}
input::placeholder {
  color: var(--quiet);
  opacity: 1;
}
</style>
