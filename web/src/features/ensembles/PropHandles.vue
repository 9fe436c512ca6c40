<script setup lang="ts">
import DraftInput from '@/shared/fields/DraftInput.vue'
import NumberBox from '@/shared/fields/NumberBox.vue'
import { freeName, lengthField, type Prop } from './ensembles'

/** The places by which a prop is taken, in its own frame. */
const props = defineProps<{ prop: Prop; busy: boolean }>()
/** before, after: what a handle was called whose name has changed; after: nothing where it is gone. */
const emit = defineEmits<{ change: [handles: Prop['handles'], before?: string, after?: string] }>()
const AXES = ['X', 'Y', 'Z'] as const
type Handles = Prop['handles']

function add() {
  const [{ at, size }] = props.prop.shapes
  const name = freeName('handle', Object.keys(props.prop.handles))
  // On top of it, where it is seen.
  emit('change', { ...props.prop.handles, [name]: [at[0], at[1] + size[1] / 2, at[2]] })
}
function put(name: string, axis: number, value: number | null) {
  const at = props.prop.handles[name].map((each, k) => (k === axis ? (value ?? 0) : each)) as Handles[string]
  emit('change', { ...props.prop.handles, [name]: at })
}
function rename(before: string, input: HTMLInputElement) {
  const wanted = input.value.trim()
  if (!wanted || wanted === before) return
  const others = Object.keys(props.prop.handles).filter((name) => name !== before)
  const after = freeName(wanted, others)
  const renamed = Object.entries(props.prop.handles).map(([name, at]) => [name === before ? after : name, at])
  emit('change', Object.fromEntries(renamed) as Handles, before, after)
}
function remove(name: string) {
  const left = Object.entries(props.prop.handles).filter(([other]) => other !== name)
  emit('change', Object.fromEntries(left), name, '')
}
</script>

<template>
  <div class="handles" role="group" :aria-label="`Handles of ${prop.name}`">
    <div v-for="(at, name) in prop.handles" :key="name" class="fields">
      <DraftInput
        class="text"
        :value="name"
        maxlength="120"
        :aria-label="`Name of the handle ${name}`"
        @change="(event: Event) => rename(String(name), event.target as HTMLInputElement)"
      />
      <NumberBox
        v-for="(axis, k) in AXES"
        :key="axis"
        :field="lengthField(axis)"
        :value="at[k]"
        :of="`The handle ${name}`"
        @keep="put(String(name), k, $event)"
      />
      <button class="plain word" :aria-label="`Remove the handle ${name}`" @click="remove(String(name))">Remove</button>
    </div>
    <button
      class="plain word"
      :disabled="busy"
      title="A place by which it is taken: a meeting there puts it into the hand"
      @click="add"
    >
      Add a handle
    </button>
  </div>
</template>

<style scoped>
.handles {
  display: grid;
  gap: 4px;
  justify-items: start;
}
</style>
