<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import { frameNumber } from '@/shared/units'
import { changes, KINDS, measured, valueOf, withValue, type Effect, type Step, type Value } from './recipe'

/** A step of the recipe: its switch, its values, and what it changes. frame: of the take, in view. */
const props = defineProps<{
  step: Step
  effects: Effect[]
  limbs: string[]
  frame: number
  first: boolean
  last: boolean
}>()
const emit = defineEmits<{ try: [step: Step]; keep: [step: Step]; move: [by: number]; remove: [] }>()
const about = computed(() => KINDS[props.step.kind])
const shown = computed(() => props.effects.filter((effect) => changes(effect) || props.effects.length === 1))
const keep = (path: string, value: Value) => emit('keep', withValue(props.step, path, value))
const numberOf = (path: string) => valueOf(props.step, path) as number | null
const chosen = computed(() => (valueOf(props.step, 'limbs') as string[] | undefined) ?? [])
function pick(limb: string, on: boolean) {
  keep('limbs', on ? [...chosen.value, limb] : chosen.value.filter((other) => other !== limb))
}
function key(event: KeyboardEvent) {
  if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
  event.preventDefault()
  emit('move', event.key === 'ArrowUp' ? -1 : 1)
}
</script>

<template>
  <li class="step" :class="{ off: !step.on }" :aria-label="about.label" @keydown="key">
    <div class="head">
      <label :title="about.does">
        <input type="checkbox" :checked="step.on" @change="keep('on', ($event.target as HTMLInputElement).checked)" />
        {{ about.label }}
      </label>
      <span class="space"></span>
      <button class="plain word" :disabled="first" title="Earlier (Alt ↑)" @click="emit('move', -1)">Up</button>
      <button class="plain word" :disabled="last" title="Later (Alt ↓)" @click="emit('move', 1)">Down</button>
      <button class="plain word" :aria-label="`Remove ${about.label}`" @click="emit('remove')">Remove</button>
    </div>
    <div v-if="about.fields.length" class="values">
      <template v-for="field in about.fields" :key="field.path">
        <label v-if="field.type === 'switch'">
          <input
            type="checkbox"
            :checked="!!valueOf(step, field.path)"
            @change="keep(field.path, ($event.target as HTMLInputElement).checked)"
          />
          {{ field.label }}
        </label>
        <v-menu v-else-if="field.type === 'limbs'" :close-on-content-click="false">
          <template #activator="{ props: menu }">
            <button class="plain word" v-bind="menu">{{ chosen.length ? chosen.join(', ') : 'every limb' }}</button>
          </template>
          <v-card class="limbs" role="group" aria-label="Limbs">
            <label v-for="limb in limbs" :key="limb">
              <input
                type="checkbox"
                :checked="chosen.includes(limb)"
                @change="pick(limb, ($event.target as HTMLInputElement).checked)"
              />
              {{ limb }}
            </label>
            <p v-if="!limbs.length" class="quiet">No limb of this body is known.</p>
          </v-card>
        </v-menu>
        <span v-else class="number">
          <NumberBox
            :field="field"
            :of="about.label"
            :value="numberOf(field.path)"
            @try="emit('try', withValue(step, field.path, $event))"
            @keep="keep(field.path, $event)"
          />
          <button
            v-if="field.type === 'frame'"
            class="plain word here"
            :title="`Frame ${frameNumber(frame)} of the take, where the playhead is`"
            @click="keep(field.path, frame)"
          >
            here
          </button>
        </span>
      </template>
    </div>
    <slot />
    <p v-if="step.on && shown.length" class="effects">
      <span v-for="effect in shown" :key="effect.name" class="effect">
        <span class="quiet">{{ effect.name }}</span>{{ ' '
        }}<span class="mono"
          >{{ measured(effect.before, effect.unit) }} → <b>{{ measured(effect.after, effect.unit) }}</b></span
        >
      </span>
    </p>
  </li>
</template>

<style scoped>
.step {
  padding: 7px 0 8px;
  border-top: 1px solid var(--hairline);
  font-size: 14px;
  display: grid;
  gap: 4px;
}
.head {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.head label {
  font-weight: 500;
  font-size: 15px;
  display: flex;
  gap: 7px;
  align-items: baseline;
}
.head .word,
.here {
  font-size: 13px;
  color: var(--quiet);
}
.off .values,
.off .head label {
  color: var(--quiet);
}
.values {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.values label {
  display: inline-flex;
  gap: 5px;
  align-items: baseline;
  min-height: 24px;
}
.number {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
}
.effects {
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
  font-size: 13px;
}
.effect {
  white-space: nowrap;
}
.limbs {
  padding: 10px 14px;
  background: var(--panel);
  display: grid;
  gap: 4px;
  font-size: 14px;
}
.limbs label {
  display: flex;
  gap: 7px;
  min-height: 24px;
}
</style>
