<script setup lang="ts">
import { computed } from 'vue'

import { stateOf, type Rendition } from '@/stores/renditions'

/** The rendition of this clip by this character: make it, stop it, see its findings, fetch it. */
const props = defineProps<{ rendition?: Rendition; character: string; own?: string }>()
const emit = defineEmits<{ transfer: []; stop: []; frame: [frame: number] }>()
const state = computed(() => stateOf(props.rendition))
const done = computed(() => props.rendition && ['good', 'look', 'wrong'].includes(props.rendition.state) && !props.rendition.sentence)
const busy = computed(() => state.value.kind === 'busy')
</script>

<template>
  <div class="rendition">
    <div class="line">
      <span class="quiet">Rendition</span>
      <span :class="['state', state.kind]"><span aria-hidden="true">{{ state.mark }}</span> {{ state.word }}</span>
      <v-btn v-if="busy" size="small" @click="emit('stop')">Stop</v-btn>
      <v-btn v-else size="small" :class="{ doing: !done || rendition?.out_of_date }" @click="emit('transfer')">
        {{ done ? 'Transfer again' : `Transfer to ${character}` }}
      </v-btn>
      <template v-if="done && rendition">
        <v-btn size="small" :class="{ doing: !rendition.out_of_date }" :href="`/api/renditions/${rendition.id}/file?format=glb`" download>Download .glb</v-btn>
        <v-btn size="small" :href="`/api/renditions/${rendition.id}/file?format=bvh`" download>Download .bvh</v-btn>
        <v-btn v-if="own === 'dae' || own === 'usd'" size="small" :href="`/api/renditions/${rendition.id}/file?format=${own}`" download>Download .{{ own }}</v-btn>
      </template>
      <span v-if="busy" class="bar"><span :style="{ width: `${Math.round((rendition?.progress ?? 0) * 100)}%` }" /></span>
    </div>
    <p v-if="rendition?.sentence" class="wrong">{{ rendition.sentence }}</p>
    <ul v-if="done && rendition?.findings.length">
      <li v-for="(finding, n) in rendition.findings" :key="n">
        <span aria-hidden="true">{{ finding.grade === 'wrong' ? '✕' : '◉' }}</span> {{ finding.text }}
        <button v-if="finding.unit" class="plain word mono" @click="emit('frame', finding.frames[0])">frames {{ finding.frames[0] }}–{{ finding.frames[1] }}</button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.rendition { display: grid; gap: 4px; }
.line { display: flex; align-items: center; gap: 10px; flex-wrap: wrap; }
.state { min-width: 5.5rem; }
.state.wrong, .wrong { color: var(--wrong); }
.bar { width: 120px; height: 2px; background: var(--hairline); }
.bar span { display: block; height: 2px; background: var(--accent); transition: width 150ms; }
ul { list-style: none; margin: 0; padding: 0; font-size: 14px; max-height: 70px; overflow-y: auto; }
</style>
