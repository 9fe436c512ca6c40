<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import DraftInput from '@/shared/fields/DraftInput.vue'
import { lengthNumber, lengthUnit, metresOf } from '@/shared/units'

/**
 * A share from none to all, or another range: drawn to see it at once, let go of to keep it, typed for an exact
 * value.
 */
const props = withDefaults(
  defineProps<{
    label: string
    value: number
    least?: number
    most?: number
    step?: number
    unit?: string
    scale?: number
    usual?: number
  }>(),
  {
    least: 0,
    most: 1,
    step: 0.05,
    unit: '%',
    scale: 100,
    usual: undefined,
  },
)
const emit = defineEmits<{ try: [value: number]; keep: [value: number | null] }>()
const now = ref(props.value)
/** A hand is on it: the answer to what was kept before does not move it. */
let held = false
watch(
  () => props.value,
  (value) => held || (now.value = value),
)
const isLength = computed(() => props.unit === 'cm')
const shownUnit = computed(() => (isLength.value ? lengthUnit.value : props.unit))
const text = () => (isLength.value ? lengthNumber(now.value) : `${Math.round(now.value * props.scale * 10) / 10}`)
function draw(event: Event) {
  held = true
  now.value = Number((event.target as HTMLInputElement).value)
  emit('try', now.value)
}
function keep() {
  held = false
  emit('keep', now.value)
}
/** Let go of; where that changed nothing, nothing is kept, and what came meanwhile is shown. */
function release() {
  setTimeout(() => {
    if (!held) return
    held = false
    now.value = props.value
  })
}
function type(event: Event) {
  const typed = Number((event.target as HTMLInputElement).value.replace(',', '.'))
  const value = isLength.value ? metresOf(typed) : typed / props.scale
  if (Number.isFinite(value)) emit('keep', Math.min(props.most, Math.max(props.least, value)))
}
</script>

<template>
  <div class="share">
    <span class="name" :title="label">{{ label }}</span>
    <input
      type="range"
      :min="least"
      :max="most"
      :step="step"
      :value="now"
      :aria-label="label"
      @input="draw"
      @change="keep"
      @pointerup="release"
      @pointercancel="release"
      @blur="release"
      @dblclick="emit('keep', null)"
    />
    <span class="typed"
      ><DraftInput :value="text()" :aria-label="`${label}, ${shownUnit}`" inputmode="decimal" @change="type" />{{
        shownUnit
      }}</span
    >
    <span class="effect"><slot /></span>
  </div>
</template>

<style scoped>
.share {
  display: grid;
  grid-template-columns: 7.6rem minmax(56px, 1fr) 4rem 8.9rem;
  gap: 7px;
  align-items: center;
  min-height: 27px;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
input[type='range'] {
  width: 100%;
}
.typed {
  display: flex;
  gap: 2px;
  align-items: baseline;
  font-size: 13px;
}
.typed input {
  width: 3rem;
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
.effect {
  font-size: 12.5px;
  text-align: right;
  white-space: nowrap;
}
@media (max-width: 1150px) {
  .share {
    grid-template-columns: 6.2rem minmax(40px, 1fr) 4rem 8.2rem;
    gap: 4px;
  }
}
</style>
