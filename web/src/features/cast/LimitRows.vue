<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import { fetchNodeMotion } from '@/api/motion'
import DraftInput from '@/shared/fields/DraftInput.vue'
import { useHistory } from '@/shared/useHistory'
import { useMessages } from '@/stores/messages'

type Limit = Schemas['LimitOut']
type Axis = 'bend' | 'side' | 'twist'
/** How far a character's joints may bend: typed, and seen on the figure while a hand draws through the range. */
const props = defineProps<{ characterId: number; version: number }>()
const emit = defineEmits<{
  pose: [rotations: Float32Array | null, translations: Float32Array | null]
  point: [bone: string | null]
  changed: []
}>()
const messages = useMessages()
const rows = ref<Limit[]>([])
const part = ref('')
const mirror = ref(true)
const at = ref<Record<Axis, number>>({ bend: 0, side: 0, twist: 0 })
/** What was changed here, to go back to. */
const history = useHistory<{ part: string; range: Limit['own'] }>(async (step) => {
  part.value = step.part
  const range = row.value?.own ?? null
  await put(step.range)
  return { part: step.part, range }
})
const AXES: { axis: Axis; words: [string, string] }[] = [
  { axis: 'bend', words: ['back', 'ahead'] },
  { axis: 'side', words: ['in, down', 'out, up'] },
  { axis: 'twist', words: ['in', 'out'] },
]
const row = computed(() => rows.value.find((limit) => limit.part === part.value))
const range = computed(() => row.value?.own ?? row.value?.usual)
const path = () => ({ params: { path: { character_id: props.characterId } } })
const load = async () => (rows.value = await answer(client.GET('/api/cast/{character_id}/limits', path())))

watch(
  () => props.characterId,
  async () => {
    emit('pose', null, null)
    history.forget()
    rows.value = []
    await load().catch(messages.fail)
    part.value = rows.value.find((limit) => limit.part === part.value)?.part ?? ''
  },
  { immediate: true },
)
watch(part, () => {
  at.value = { bend: 0, side: 0, twist: 0 }
  emit('point', row.value?.bone ?? null)
  emit('pose', null, null)
})
onBeforeUnmount(() => emit('pose', null, null))

async function put(wanted: Limit['own']) {
  const body = { part: part.value, range: wanted, mirror: mirror.value }
  const headers = onVersion(props.version)
  rows.value = await answer(client.PUT('/api/cast/{character_id}/limits', { ...path(), headers, body }))
  emit('changed')
}
const keep = (wanted: Limit['own']) =>
  history.inOrder(async () => {
    const before = { part: part.value, range: row.value?.own ?? null }
    const look = () => (emit('changed'), load())
    if (await messages.attempt(() => put(wanted), look)) history.remember(before)
  })
function say(event: Event, axis: Axis, which: 0 | 1) {
  const value = Number((event.target as HTMLInputElement).value.replace(',', '.').replace('−', '-'))
  if (!range.value || !Number.isFinite(value)) return
  const next = { bend: [...range.value.bend], side: [...range.value.side], twist: [...range.value.twist] }
  next[axis][which] = value
  void keep(next)
}
const undo = () => history.undo().catch(messages.fail)

/** The latest wins: a hand is quicker than the server. */
let busy = false
let again = false
async function draw() {
  again = true
  if (busy) return
  busy = true
  try {
    while (again && part.value) {
      again = false
      const asked = new URLSearchParams({
        part: part.value,
        ...Object.fromEntries(Object.entries(at.value).map(([axis, value]) => [axis, `${value}`])),
      })
      const bent = await fetchNodeMotion(`/api/cast/${props.characterId}/bent?${asked}`)
      emit('pose', bent.rotations, bent.translations)
    }
  } catch (problem) {
    messages.fail(problem)
  } finally {
    busy = false
  }
}
</script>

<template>
  <div class="limits">
    <div class="line">
      <select v-model="part" aria-label="Part whose limits are shown">
        <option value="">Choose a part</option>
        <option v-for="limit in rows" :key="limit.part" :value="limit.part">
          {{ limit.part }}{{ limit.own ? ' ✎' : '' }}
        </option>
      </select>
      <button v-if="history.undoable.value" class="plain word" @click="undo">Undo</button>
    </div>
    <template v-if="range">
      <div v-for="{ axis, words } in AXES" :key="axis" class="axis">
        <span class="quiet">{{ axis }}</span>
        <DraftInput
          :value="range[axis][0]"
          :aria-label="`${axis}, ${words[0]}, degrees`"
          :title="words[0]"
          inputmode="decimal"
          @change="say($event, axis, 0)"
        />
        <input
          v-model.number="at[axis]"
          type="range"
          :min="range[axis][0]"
          :max="range[axis][1]"
          step="1"
          :aria-label="`See the ${part}: ${axis} from ${words[0]} to ${words[1]}`"
          @input="draw"
        />
        <DraftInput
          :value="range[axis][1]"
          :aria-label="`${axis}, ${words[1]}, degrees`"
          :title="words[1]"
          inputmode="decimal"
          @change="say($event, axis, 1)"
        />
        <span class="mono now">{{ at[axis] }}°</span>
      </div>
      <div class="line">
        <label><input v-model="mirror" type="checkbox" /> Both sides</label>
        <button v-if="row?.own" class="plain word" @click="keep(null)">As the body plan has it</button>
      </div>
    </template>
    <p v-else-if="!rows.length" class="quiet">No part of this body has limits.</p>
    <p v-else class="quiet">Draw through a range to see it on the figure.</p>
  </div>
</template>

<style scoped>
.limits {
  display: grid;
  gap: 4px;
  font-size: 13.5px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 28px;
}
.line label {
  display: flex;
  gap: 5px;
  align-items: center;
}
select {
  flex: 1;
  min-width: 0;
}
.axis {
  display: grid;
  grid-template-columns: 2.4rem 3rem 1fr 3rem 2.9rem;
  gap: 6px;
  align-items: center;
}
.axis input:not([type='range']) {
  width: 3rem;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 1px 4px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 13px;
  text-align: right;
  min-height: 25px;
}
.axis input[type='range'] {
  width: 100%;
  min-width: 40px;
}
.now {
  text-align: right;
}
</style>
