<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import type { Bones } from '@/stores/cast'
import type { Fitting, Which } from './weave'

/** Find a bone or a part by typing; with a bone taken, its counterpart, the likeliest first. */
const props = defineProps<{
  fitting: Fitting
  source: Bones
  target: Bones
  held: { which: Which; bone: string } | null
}>()
const emit = defineEmits<{ choose: [which: Which, bone: string, add: boolean]; cancel: [] }>()
const text = ref('')
const at = ref(0)
const shown = ref(false)
const field = ref<HTMLInputElement>()
watch(text, () => (at.value = 0))

interface Found {
  which: Which
  bone: string
  part: string
  paired: boolean
  rank: number
}
const found = computed<Found[]>(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  const held = props.held
  const sides: Which[] = held ? [held.which === 'source' ? 'target' : 'source'] : ['source', 'target']
  const partOf = (which: Which, bone: string) =>
    props.fitting.pairs.find((pair) => pair[which].includes(bone))?.part ??
    props.fitting.parts.find((part) => part[which].includes(bone))?.name ??
    ''
  const wanted = held ? partOf(held.which, held.bone) : ''
  const out: Found[] = []
  for (const which of sides) {
    const tree = which === 'source' ? props.source : props.target
    for (const bone of tree.names) {
      const part = partOf(which, bone)
      const text = `${bone} ${part} ${which === 'source' ? 'source' : 'character'}`.toLowerCase()
      if (!words.every((word) => text.includes(word))) continue
      const paired = props.fitting.pairs.some((pair) => pair[which].includes(bone))
      const exact = words.length > 0 && bone.toLowerCase() === words.join(' ')
      const rank =
        (exact ? 0 : 10) +
        (held && wanted && part === wanted ? 0 : 2) +
        (paired ? 1 : 0) +
        (words.length && bone.toLowerCase().startsWith(words[0]) ? 0 : 0.5)
      out.push({ which, bone, part, paired, rank })
    }
  }
  return out.sort((a, b) => a.rank - b.rank).slice(0, 9)
})
function open() {
  text.value = ''
  shown.value = true
  void nextTick(() => field.value?.focus())
}
function choose(match: Found | undefined, add = false) {
  if (!match) return
  shown.value = false
  text.value = ''
  emit('choose', match.which, match.bone, add)
}
function onKey(event: KeyboardEvent) {
  const count = found.value.length
  if (event.key === 'ArrowDown') at.value = (at.value + 1) % Math.max(1, count)
  else if (event.key === 'ArrowUp') at.value = (at.value + count - 1) % Math.max(1, count)
  else if (event.key === 'Enter') choose(found.value[at.value], event.shiftKey)
  else if (event.key === 'Escape') {
    shown.value = false
    text.value = ''
    emit('cancel')
  } else return
  event.preventDefault()
  event.stopPropagation()
}
const label = computed(() => (props.held ? `Counterpart of ${props.held.bone}` : 'Find a bone or a part'))
defineExpose({ open })
</script>

<template>
  <div class="finder">
    <input
      ref="field"
      v-model="text"
      role="combobox"
      aria-autocomplete="list"
      :aria-expanded="shown"
      aria-controls="bones-found"
      :aria-label="label"
      :placeholder="label"
      :class="{ held }"
      @focus="shown = true"
      @blur="shown = false"
      @keydown="onKey"
    />
    <ul v-if="shown" id="bones-found" role="listbox" :aria-label="label">
      <li
        v-for="(match, n) in found"
        :key="match.which + match.bone"
        role="option"
        :aria-selected="n === at"
        :class="{ here: n === at }"
        @mousedown.prevent="choose(match, $event.shiftKey)"
      >
        <span class="mono">{{ match.bone }}</span><span class="quiet"
          >{{ match.part || 'outside the plan' }}{{ held ? '' : match.which === 'source' ? ', source' : ', character'
          }}{{ match.paired ? ', paired' : '' }}</span
        >
      </li>
      <li v-if="!found.length" class="quiet">No bone is called this.</li>
    </ul>
  </div>
</template>

<style scoped>
.finder {
  position: relative;
  flex: 1;
  min-width: 0;
}
input {
  width: 100%;
  font: inherit;
  font-size: 14px;
  color: inherit;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 3px 9px;
  min-height: 28px;
}
input.held {
  border-color: var(--accent);
}
ul {
  position: absolute;
  z-index: 6;
  left: 0;
  right: 0;
  top: 100%;
  list-style: none;
  margin: 2px 0 0;
  padding: 4px 0;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 4px;
  max-height: 300px;
  overflow-y: auto;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 3px 10px;
  font-size: 13.5px;
  cursor: pointer;
  min-height: 26px;
}
li.here,
li:hover {
  background: rgb(var(--v-theme-surface-variant));
}
</style>
