<script setup lang="ts">
import type { Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import { frameSpan, inUnits } from '@/shared/units'

/** The findings of a result in words, with where they are. touchable: whether they can be touched up. */
defineProps<{ findings: Schemas['FindingOut'][]; frame: number; touchable?: boolean }>()
/** laid: whether it is seen best with both bodies laid over each other, as differences of their postures are. */
const emit = defineEmits<{ show: [frame: number, laid: boolean]; touchUp: [finding: Schemas['FindingOut']] }>()
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
const inside = (finding: Schemas['FindingOut'], frame: number) =>
  !!finding.unit && finding.spans.some(([first, last]) => first <= frame && frame <= last)
</script>

<template>
  <ul v-if="findings.length" aria-label="Findings">
    <li v-for="(finding, n) in findings" :key="n" :class="{ now: inside(finding, frame) }">
      <StateMark :state="finding.grade === 'wrong' ? 'wrong' : 'look'" />
      <span>{{ inUnits(finding.text) }}</span>
      <button
        v-if="finding.unit"
        class="plain word"
        @click="emit('show', finding.frames[0], POSTURE.includes(finding.kind))"
      >
        show me
        <span class="mono">{{ frameSpan(finding.frames[0], finding.frames[1]) }}</span>
      </button>
      <button v-if="finding.unit && touchable" class="plain word" @click="emit('touchUp', finding)">
        touch up here
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
