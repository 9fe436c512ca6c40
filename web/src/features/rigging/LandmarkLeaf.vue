<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { lengthText } from '@/shared/units'
import {
  FOCUSES,
  hasFingers,
  isDoubtful,
  listed,
  type Definition,
  type Focus,
  type RigRow,
  type Section,
  type Triple,
} from './rigs'
import SectionDrawing from './SectionDrawing.vue'

/** All landmarks, what each means, and the cut through the body at the one in hand. */
const props = defineProps<{ row: RigRow; definition: Definition; section: Section | null }>()
const emit = defineEmits<{ middle: []; again: [] }>()
const selected = defineModel<string | null>('selected', { required: true })
const both = defineModel<boolean>('both', { required: true })
const focus = defineModel<Focus>('focus', { required: true })
const list = ref<HTMLElement>()
const groups = computed(() =>
  ['', 'left', 'right'].map((side) => ({ side: side || 'middle', names: listed(props.definition, side) })),
)
const doubtful = computed(() =>
  Object.keys(props.definition.landmarks).filter((name) => isDoubtful(props.definition, name)),
)
const short = (name: string) => name.replace(/^(left|right) /, '')
const at = computed(() => (selected.value ? (props.definition.landmarks[selected.value]?.at as Triple) : null))
watch(selected, async () => {
  await nextTick()
  list.value?.querySelector('[aria-pressed="true"]')?.scrollIntoView({ block: 'nearest' })
})
</script>

<template>
  <p v-if="doubtful.length" class="quiet note">
    The shape shows <span class="mono">{{ doubtful.length }}</span> of them poorly; they are marked by an open eye. Draw
    a point in either view, or take it and use the arrow keys.
  </p>
  <p v-else class="quiet note">Draw a point in either view, or take it and use the arrow keys.</p>
  <label class="tick"
    ><input v-model="both" type="checkbox" v-bind="withKey('Landmarks', 'mirror')" /> The other side follows</label
  >
  <div v-if="hasFingers(definition)" class="choice" role="group" aria-label="Look at">
    <button
      v-for="(name, key) in FOCUSES"
      :key="key"
      :aria-pressed="focus === key"
      v-bind="withKey('Landmarks', 'hands')"
      @click="focus = key"
    >
      {{ name }}
    </button>
  </div>
  <div ref="list" class="list">
    <div v-for="group in groups" :key="group.side" role="group" :aria-label="group.side">
      <h3 :class="group.side">{{ group.side }}</h3>
      <button
        v-for="name in group.names"
        :key="name"
        class="plain row"
        :aria-pressed="name === selected"
        :aria-label="name"
        @click="selected = name"
      >
        {{ short(name) }}
        <svg v-if="isDoubtful(definition, name)" width="16" height="10" role="img" aria-label="look at it">
          <path d="M1 5Q8-3 15 5Q8 13 1 5Z M8 3.4a1.6 1.6 0 1 0 .01 0Z" fill="none" stroke="currentColor" />
        </svg>
      </button>
    </div>
  </div>
  <section v-if="selected && at" class="hand" aria-live="polite">
    <p>
      <b>{{ selected }}</b>: {{ row.meanings[selected] }}
    </p>
    <p class="quiet mono place">{{ at.map((value) => lengthText(value)).join('  ') }}</p>
    <SectionDrawing v-if="section" :section="section" :at="at" :ahead="definition.ahead" />
    <button
      class="plain word"
      :disabled="!section?.middle"
      v-bind="withKey('Landmarks', 'middle')"
      @click="emit('middle')"
    >
      To the middle of the cut
    </button>
  </section>
  <button class="plain word again" @click="emit('again')">Propose all anew</button>
</template>

<style scoped>
.note {
  margin: 0;
  font-size: 14px;
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 14px;
}
.choice {
  flex: none;
}
.list {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 0 10px;
  overflow-y: auto;
  min-height: 120px;
  flex: 0 1 auto;
  align-items: start;
}
h3 {
  font-size: 13px;
  font-weight: 500;
}
h3.left {
  color: rgb(var(--v-theme-left));
}
h3.right {
  color: rgb(var(--v-theme-right));
}
.row {
  display: flex;
  width: 100%;
  align-items: center;
  gap: 4px;
  min-height: 24px;
  padding: 0 4px;
  font-size: 13.5px;
  border-left: 2px solid transparent;
  text-align: left;
}
.row:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.row[aria-pressed='true'] {
  border-color: var(--accent);
  font-weight: 500;
}
.hand {
  display: grid;
  gap: 4px;
  justify-items: start;
  font-size: 14px;
  border-top: 1px solid var(--hairline);
  padding-top: 8px;
}
.hand p {
  margin: 0;
}
.place {
  white-space: pre;
  font-size: 13px;
}
.again {
  align-self: start;
}
</style>
