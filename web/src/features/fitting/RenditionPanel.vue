<script setup lang="ts">
import { computed } from 'vue'

import StateMark from '@/features/board/StateMark.vue'
import { frameSpan, inUnits } from '@/shared/units'
import type { State } from '@/stores/board'
import { busy as isBusy, type Rendition } from '@/stores/renditions'

/** The rendition of this clip by this character: make it, stop it, see its findings, review it, fetch it. */
const props = defineProps<{ rendition?: Rendition; character: string; own?: string }>()
const emit = defineEmits<{ transfer: []; stop: []; frame: [frame: number] }>()
const state = computed(() => (props.rendition?.state ?? 'not yet') as State)
const made = computed(() => props.rendition?.newest ?? null)
const busy = computed(() => isBusy(props.rendition))
const old = computed(() =>
  state.value === 'out of date' ? `${props.rendition?.changed.join(' and ') || 'something'} changed` : '',
)
</script>

<template>
  <div class="rendition">
    <div class="line">
      <span class="quiet">Rendition</span>
      <span class="state" :class="state.replaceAll(' ', '-')" :title="old"
        ><StateMark :state="state" :kept="!!rendition?.accepted_id" /> {{ state }}</span
      >
      <v-btn v-if="busy" size="small" @click="emit('stop')">Stop</v-btn>
      <v-btn v-else size="small" :class="{ doing: !made || state === 'out of date' }" @click="emit('transfer')">
        {{ made ? 'Transfer again' : `Transfer to ${character}` }}
      </v-btn>
      <template v-if="made && rendition && !busy">
        <v-btn size="small" :to="`/review/${rendition.id}`">Review</v-btn>
        <v-btn
          size="small"
          :class="{ doing: state !== 'out of date' }"
          :href="`/api/renditions/${rendition.id}/file?format=glb`"
          download
          >Download .glb</v-btn
        >
        <v-btn size="small" :href="`/api/renditions/${rendition.id}/file?format=bvh`" download>Download .bvh</v-btn>
        <v-btn
          v-if="own === 'dae' || own === 'usd'"
          size="small"
          :href="`/api/renditions/${rendition.id}/file?format=${own}`"
          download
          >Download .{{ own }}</v-btn
        >
      </template>
      <span v-if="busy" class="bar"
        ><span :style="{ width: `${Math.round((rendition?.progress ?? 0) * 100)}%` }"
      /></span>
    </div>
    <p v-if="rendition?.sentence" class="wrong">{{ inUnits(rendition.sentence) }}</p>
    <p v-if="rendition?.note" class="wrong">Sent back: {{ rendition.note }}</p>
    <ul v-if="made?.findings.length">
      <li v-for="(finding, n) in made.findings" :key="n">
        <StateMark :state="finding.grade === 'wrong' ? 'wrong' : 'look'" /> {{ inUnits(finding.text) }}
        <button v-if="finding.unit" class="plain word mono" @click="emit('frame', finding.frames[0])">
          frames {{ frameSpan(finding.frames[0], finding.frames[1]) }}
        </button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.rendition {
  display: grid;
  gap: 4px;
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
  flex-wrap: wrap;
}
.state {
  min-width: 6rem;
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.wrong {
  color: var(--wrong);
}
.bar {
  width: 120px;
  height: 2px;
  background: var(--hairline);
}
.bar span {
  display: block;
  height: 2px;
  background: var(--accent);
  transition: width 150ms;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 14px;
  max-height: 70px;
  overflow-y: auto;
}
li {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
