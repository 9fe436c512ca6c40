<script setup lang="ts">
import type { Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'

/** The findings of a result in words, with where they are. */
defineProps<{ findings: Schemas['FindingOut'][]; frame: number }>()
/** laid: whether it is seen best with both bodies laid over each other, as differences of their postures are. */
const emit = defineEmits<{ show: [frame: number, laid: boolean] }>()
const POSTURE = [
  'up',
  'gravity',
  'lies',
  'facing',
  'twist',
  'direction',
  'roll',
  'sides',
  'height',
  'size',
  'proportion',
]
const inside = (one: Schemas['FindingOut'], frame: number) =>
  !!one.unit && one.spans.some(([first, last]) => first <= frame && frame <= last)
</script>

<template>
  <ul v-if="findings.length" aria-label="Findings">
    <li v-for="(one, n) in findings" :key="n" :class="{ now: inside(one, frame) }">
      <StateMark :state="one.grade === 'wrong' ? 'wrong' : 'look'" />
      <span>{{ one.text }}</span>
      <button v-if="one.unit" class="plain word" @click="emit('show', one.frames[0], POSTURE.includes(one.kind))">
        show me
        <span class="mono">{{
          one.frames[0] === one.frames[1] ? one.frames[0] : `${one.frames[0]}–${one.frames[1]}`
        }}</span>
      </button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 5px 18px;
  font-size: 14px;
  max-height: 92px;
  overflow-y: auto;
  background: var(--panel);
  border-top: 1px solid var(--hairline);
}
li {
  display: flex;
  gap: 8px;
  align-items: center;
}
.now {
  font-weight: 500;
}
</style>
