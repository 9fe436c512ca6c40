<script setup lang="ts">
import { Vector3 } from 'three'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { directionOf, DIRECTIONS, stays, withComponent, type Direction, type Move } from './moves'
import type { Definition } from './rigs'

/** How far a piece is moved and turned before the mesh is bound. */
const props = defineProps<{ definition: Definition; name: string; move: Move; twin: boolean }>()
const emit = defineEmits<{ try: [move: Move]; keep: [move: Move] }>()
const both = defineModel<boolean>('both', { required: true })
const OFFSETS: Record<Direction, string> = { side: 'left', up: 'up', ahead: 'ahead' }
/** Turns about the axes ahead, to its left and up. */
const TURNS: Record<Direction, string> = { ahead: 'sideways', side: 'forward', up: 'round' }
const field = (label: string, key: 'offset' | 'turn'): NumberField => ({
  path: key,
  label,
  type: 'number',
  unit: key === 'offset' ? 'cm' : '°',
  step: key === 'offset' ? 0.5 : 1,
  least: key === 'offset' ? -10 : -180,
  most: key === 'offset' ? 10 : 180,
})
const along = (direction: Direction) => directionOf(props.definition, direction)
const value = (key: 'offset' | 'turn', direction: Direction) =>
  +new Vector3().fromArray(props.move[key]).dot(along(direction)).toFixed(5)
const changed = (key: 'offset' | 'turn', direction: Direction, to: number | null) =>
  withComponent(props.move, key, along(direction), to ?? 0)
</script>

<template>
  <div class="move" role="group" :aria-label="`Move ${name}`">
    <p class="quiet note">Draw its box in either view, its knob to turn it, or set it here.</p>
    <div v-for="(labels, key) in { offset: OFFSETS, turn: TURNS }" :key="key" class="numbers">
      <NumberBox
        v-for="direction in DIRECTIONS"
        :key="direction"
        :field="field(labels[direction], key)"
        :value="value(key, direction)"
        :of="key === 'offset' ? `${name} moved` : `${name} turned`"
        @try="(to) => emit('try', changed(key, direction, to))"
        @keep="(to) => emit('keep', changed(key, direction, to))"
      />
    </div>
    <label v-if="twin" class="tick"><input v-model="both" type="checkbox" /> Its other side alike</label>
    <button
      class="plain word"
      :disabled="stays(move)"
      @click="emit('keep', { ...move, offset: [0, 0, 0], turn: [0, 0, 0] })"
    >
      Put it back
    </button>
  </div>
</template>

<style scoped>
.move {
  grid-column: 1 / -1;
  display: grid;
  gap: 4px;
  justify-items: start;
  padding: 2px 0 8px 10px;
  border-left: 2px solid var(--accent);
}
.note {
  margin: 0;
}
.numbers {
  display: flex;
  gap: 10px;
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
