<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { Gone, type Schemas } from '@/api/client'
import ClipPlate from '@/features/library/ClipPlate.vue'
import { useLatest } from '@/shared/useLatest'
import { useCallSheet, type Wanted } from '@/stores/callSheet'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'

import { keepOrder } from './candidateOrder'

/** The clips that could be taken for a wanted motion, why, and any other one of the library. */
type Candidate = Schemas['CandidateOut']
const props = defineProps<{ row: Wanted }>()
const sheet = useCallSheet()
const library = useLibrary()
const messages = useMessages()
const latest = useLatest()
const rows = ref<Candidate[] | null>(null)
const shown = ref<number>()
const order = ref<number[]>([])
const pointed = ref<number>()
const other = ref('')

const KEYS = 9
const NEAR = 4 // clips that only come near, after those that fit
const asked = computed(() => [...props.row.words.map((word) => `“${word}”`), ...props.row.motions])
const best = computed(() => {
  let near = 0
  return (rows.value ?? []).filter((row) => row.fits || row.chosen || near++ < NEAR).map((row) => row.clip_id)
})
let answered = '' // what the order is of
watch(
  () => [props.row.id, props.row.lock_version, props.row.fits, library.present.length, sheet.unmeasured],
  () => {
    if (shown.value !== props.row.id) {
      rows.value = null
      other.value = ''
    }
    const id = props.row.id
    const question = JSON.stringify([id, asked.value])
    void latest(
      // A row that has just been taken away needs none.
      () => sheet.candidates(id).catch((problem: unknown) => void (problem instanceof Gone || messages.fail(problem))),
      (found) => {
        if (!found) return
        shown.value = id
        rows.value = found
        const listed = answered === question ? order.value : []
        order.value = keepOrder(listed, best.value, new Set(found.map((row) => row.clip_id)))
        answered = question
      },
    )
  },
  { immediate: true },
)
const fitting = computed(() => rows.value?.some((row) => row.fits || row.chosen))
const listed = computed(() => {
  const known = new Map(rows.value?.map((row) => [row.clip_id, row]))
  return order.value.flatMap((id) => (library.clip(id) && known.get(id)) || [])
})
/** Whether another order has come to be better since these were listed. */
const isOutOfOrder = computed(() => best.value.some((id, n) => listed.value[n]?.clip_id !== id))
const clip = (id: number) => library.clip(id)!
const others = computed(() => {
  const words = other.value.toLowerCase().split(/\s+/).filter(Boolean)
  if (!words.length) return []
  const known = new Set(listed.value.map((row) => row.clip_id))
  return library.present
    .filter((row) => !known.has(row.id) && words.every((word) => row.name.toLowerCase().includes(word)))
    .slice(0, 6)
})
const take = (id: number) => sheet.take(props.row.id, id).catch(messages.fail)
/** Take the nth of the list, or let it go. */
function takeNth(n: number) {
  const row = listed.value[n - 1]
  if (row) void take(row.clip_id)
}
const telling = (row: Candidate) => row.matches.filter((match) => match.kind !== 'implied' || match.degree > 0.5)
defineExpose({ takeNth })
</script>

<template>
  <aside class="pane candidates" :aria-label="`Clips for “${row.motion}”`">
    <h2>{{ row.motion }}</h2>
    <p v-if="asked.length" class="quiet asked">Looked for: {{ asked.join(', ') }}.</p>
    <p v-else class="quiet asked">No word of it is one to look for.</p>
    <p class="quiet order" role="status">
      <template v-if="sheet.unmeasured"
        >{{ sheet.unmeasured === 1 ? 'One clip is' : `${sheet.unmeasured} clips are` }} still being measured.
      </template>
      <template v-else-if="isOutOfOrder">Others fit better now. </template>
      <button v-if="isOutOfOrder" class="plain word" @click="order = best">List the best first</button>
    </p>
    <template v-if="rows">
      <p v-if="!fitting" class="missing">Nothing in the library fits.{{ best.length ? ' These come nearest.' : '' }}</p>
      <ol v-if="listed.length">
        <li v-for="(candidate, n) in listed" :key="candidate.clip_id" :class="{ taken: candidate.chosen }">
          <button
            class="plain card"
            :aria-pressed="candidate.chosen"
            :aria-keyshortcuts="n < KEYS ? String(n + 1) : undefined"
            :title="`${candidate.chosen ? 'Let it go' : 'Take it'}${n < KEYS ? ` (${n + 1})` : ''}`"
            @click="take(candidate.clip_id)"
            @mouseenter="pointed = candidate.clip_id"
            @mouseleave="pointed = undefined"
          >
            <span class="plate"
              ><ClipPlate :clip="clip(candidate.clip_id)" :playing="pointed === candidate.clip_id"
            /></span>
            <span class="line"
              ><kbd v-if="n < KEYS">{{ n + 1 }}</kbd
              ><span class="name">{{ clip(candidate.clip_id).name }}</span
              ><span class="quiet">{{
                candidate.chosen ? 'chosen' : candidate.fits ? 'fits' : 'comes near'
              }}</span></span
            >
          </button>
          <ul class="why">
            <li
              v-for="match in telling(candidate)"
              :key="`${match.kind} ${match.asked}`"
              :class="{ against: match.degree < 0.5 }"
            >
              <span aria-hidden="true">{{ match.degree >= 0.5 ? '✓' : '–' }}</span>
              <span>{{ match.asked }}: {{ match.found }}</span>
            </li>
          </ul>
          <router-link class="quiet way" :to="`/library/clips/${candidate.clip_id}`">Look at it</router-link>
        </li>
      </ol>
      <label class="other"
        >Another clip
        <input v-model="other" type="search" placeholder="find by name" />
      </label>
      <ul v-if="others.length" class="others">
        <li v-for="found in others" :key="found.id">
          <button class="plain word" @click="take(found.id)">Take {{ found.name }}</button>
        </li>
      </ul>
      <p v-else-if="other" class="quiet">No other clip is called so.</p>
      <p v-if="!fitting"><router-link to="/library">Bring in motion</router-link></p>
    </template>
    <p v-else class="quiet">Looking …</p>
  </aside>
</template>

<style scoped>
.candidates {
  width: 372px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
  padding: 12px 16px 24px;
  display: grid;
  gap: 8px;
  align-content: start;
}
.asked,
.order {
  font-size: 13.5px;
}
/* There whether it says something or not: what comes into it moves no clip under a hand. */
.order {
  min-height: 1.5em;
}
ol,
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
ol > li {
  border-top: 1px solid var(--hairline);
  padding: 6px 0 4px;
}
.card {
  display: block;
  width: 100%;
  padding: 4px;
  border: 1px solid transparent;
  border-radius: 3px;
}
.card:hover {
  border-color: var(--hairline);
}
.taken .card {
  border-color: var(--accent);
  background: var(--paper);
}
.plate {
  display: block;
  height: 76px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.name {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.why {
  font-size: 13.5px;
  padding: 3px 4px;
}
.why li {
  display: flex;
  gap: 6px;
}
.against {
  color: var(--quiet);
}
.missing {
  font-weight: 500;
}
.other {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 14px;
}
.other input {
  flex: 1;
  min-width: 0;
  min-height: 28px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  font-size: 14px;
}
@media (max-width: 1100px) {
  .candidates {
    width: 300px;
  }
}
</style>
