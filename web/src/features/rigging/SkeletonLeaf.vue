<script setup lang="ts">
import { computed, onMounted, shallowRef } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { useMessages } from '@/stores/messages'
import { hasFingers, hasTail, type Definition, type RigRow } from './rigs'

/** How many bones there are, and their names. */
const props = defineProps<{ row: RigRow; definition: Definition }>()
const emit = defineEmits<{ keep: [definition: Definition]; fingers: [count: Count | null] }>()
type Count = 0 | 1 | 2 | 3 | 4 | 5
const fingers = computed(
  () => Object.keys(props.definition.landmarks).filter((name) => /^left \w+ root$/.test(name)).length,
)
function setFingers(event: Event) {
  const { value } = event.target as HTMLSelectElement
  emit('fingers', value === 'shape' ? null : (Number(value) as Count))
}
const COUNTS: { name: 'spine' | 'neck' | 'tail' | 'twists'; field: NumberField }[] = [
  {
    name: 'spine',
    field: { path: 'spine', label: 'bones of the spine', type: 'number', unit: '', step: 1, least: 1, most: 6 },
  },
  {
    name: 'neck',
    field: { path: 'neck', label: 'bones of the neck', type: 'number', unit: '', step: 1, least: 1, most: 8 },
  },
  {
    name: 'tail',
    field: { path: 'tail', label: 'bones of the tail', type: 'number', unit: '', step: 1, least: 1, most: 12 },
  },
  {
    name: 'twists',
    field: { path: 'twists', label: 'twist bones of each limb', type: 'number', unit: '', step: 1, least: 0, most: 3 },
  },
] as never
const counts = computed(() => COUNTS.filter(({ name }) => name !== 'tail' || hasTail(props.definition)))
const set = (options: Partial<Definition['options']>) =>
  emit('keep', { ...props.definition, options: { ...props.definition.options, ...options } })
const depth = (joint: number): number => {
  const parent = props.row.skeleton.parents[joint]
  return parent < 0 ? 0 : 1 + depth(parent)
}
/** Patterns that name bones of such a body, and what is in force where that pattern is gone or has changed. */
const patterns = shallowRef<Schemas['PatternOut'][]>([])
const choices = computed(() => patterns.value.filter(({ plan }) => plan === props.definition.plan))
const naming = computed(() => props.definition.naming?.pattern ?? '')
const lost = computed(() => naming.value !== '' && !choices.value.some(({ name }) => name === naming.value))
function setNaming(event: Event) {
  const wanted = (event.target as HTMLSelectElement).value
  const pattern = choices.value.find(({ name }) => name === wanted)
  emit('keep', { ...props.definition, naming: pattern ? { pattern: pattern.name, parts: pattern.parts } : null })
}
const messages = useMessages()
onMounted(() =>
  answer(client.GET('/api/patterns/'))
    .then((rows) => (patterns.value = rows))
    .catch(messages.fail),
)
const ticked = (event: Event) => (event.target as HTMLInputElement).checked
</script>

<template>
  <div class="counts">
    <NumberBox
      v-for="{ name, field } in counts"
      :key="name"
      :field="field"
      :value="definition.options[name]"
      of="Skeleton"
      @keep="(value) => value !== null && set({ [name]: Math.round(value) })"
    />
    <label v-if="hasFingers(definition)" class="tick"
      >fingers of each hand
      <select :value="fingers" aria-label="Fingers of each hand" @change="setFingers">
        <option v-for="count in [0, 1, 2, 3, 4, 5]" :key="count" :value="count">{{ count || 'none' }}</option>
        <option value="shape">as its shape shows</option>
      </select></label
    >
    <label class="tick"
      ><input type="checkbox" :checked="definition.options.toes" @change="set({ toes: ticked($event) })" /> Feet bend at
      the toes</label
    >
    <label class="tick"
      ><input type="checkbox" :checked="definition.options.root" @change="set({ root: ticked($event) })" /> A root bone
      on the floor carries the whole</label
    >
    <label class="tick"
      >names in the file
      <select :value="naming" aria-label="Names in the file" @change="setNaming">
        <option value="">as here</option>
        <option v-if="lost" :value="naming">{{ naming }}, as it was</option>
        <option v-for="pattern in choices" :key="pattern.id">{{ pattern.name }}</option>
      </select></label
    >
  </div>
  <h2>
    <span class="mono">{{ row.skeleton.names.length }}</span> bones
  </h2>
  <ul>
    <li
      v-for="(name, joint) in row.skeleton.names"
      :key="name"
      class="mono"
      :style="{ paddingLeft: `${depth(joint) * 9}px` }"
    >
      {{ name }}
      <span v-if="row.skeleton.names_in_file[joint] !== name" class="quiet">
        {{ row.skeleton.names_in_file[joint] }}
      </span>
    </li>
  </ul>
</template>

<style scoped>
.counts {
  display: grid;
  gap: 6px;
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
}
h2 {
  font-size: 1rem;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 13px;
}
li {
  display: flex;
  gap: 0 8px;
  flex-wrap: wrap;
}
li .quiet {
  margin-left: auto;
}
</style>
