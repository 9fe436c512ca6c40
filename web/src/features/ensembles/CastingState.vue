<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import { useBoard } from '@/stores/board'
import { useChanges } from '@/stores/changes'
import { useChoice } from '@/stores/choice'
import { useMessages } from '@/stores/messages'
import { useRuns } from '@/stores/runs'

/**
 * The result of a casting on the board: its state, and what can be done about it from here. version: another with every
 * change of what it is made of here.
 */
const props = defineProps<{ casting: number; version: string; disabled: boolean }>()
const board = useBoard()
const messages = useMessages()
const choice = useChoice()
const router = useRouter()
const runs = useRuns()
const working = ref(false)

const state = computed(() => board.castingState(props.casting))
const busy = computed(() => state.value === 'waiting' || state.value === 'running')
const there = computed(() => ['good', 'look', 'wrong', 'accepted', 'out of date'].includes(state.value))
async function attempt(work: () => Promise<unknown>) {
  working.value = true
  await work().catch(messages.fail)
  working.value = false
}
const transfer = () => attempt(() => board.transfer([props.casting]))
const review = () =>
  attempt(async () => {
    const query = { casting_id: props.casting }
    const row = await answer(client.GET('/api/renditions/cell', { params: { query } }))
    choice.cells = []
    if (row) await router.push(`/review/${row.id}`)
  })
function deliver() {
  choice.cells = [props.casting]
  void router.push('/delivery/new')
}
const look = () => board.load().catch(messages.fail)
onMounted(look)
watch([() => runs.moved, () => props.version], look)
useChanges().on(['renditions', 'ensembles', 'fittings', 'library', 'cast'], look)
</script>

<template>
  <template v-if="board.castings.has(casting)">
    <span class="state"
      ><StateMark :state="state" :kept="board.castingKeepsAccepted(casting)" />
      {{ state === 'not yet' ? 'not transferred yet' : state }}</span
    >
    <v-btn
      v-if="state !== 'accepted'"
      size="small"
      :class="{ doing: !there || state === 'out of date' }"
      :disabled="disabled || working || busy"
      @click="transfer"
      >{{ state === 'out of date' ? 'Bring up to date' : 'Transfer' }}</v-btn
    >
    <v-btn size="small" :disabled="!there || working" @click="review">Review</v-btn>
    <v-btn size="small" :disabled="!there || working" @click="deliver">Deliver</v-btn>
  </template>
</template>

<style scoped>
.state {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  font-size: 14px;
}
</style>
