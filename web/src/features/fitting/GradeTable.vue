<script setup lang="ts">
import DraftInput from '@/shared/fields/DraftInput.vue'
import { withUnit, type Measures, type Settings } from './useSettling'

/** From which size on a finding is worth a look, and from which it is wrong; beside what the clip in view shows. */
const props = defineProps<{ measures: Measures | null; grades: Settings['grades'] }>()
const emit = defineEmits<{ keep: [grades: Record<string, [number, number] | null>] }>()
function say(event: Event, kind: string, which: 0 | 1) {
  const row = props.measures?.kinds.find((measured) => measured.kind === kind)
  const value = Number((event.target as HTMLInputElement).value.replace(',', '.'))
  if (!row || !Number.isFinite(value)) return
  const next: [number, number] = [row.look, row.wrong]
  next[which] = value
  // Whoever moves one past the other takes the other along.
  if (next[0] > next[1]) next[1 - which] = value
  emit('keep', { [kind]: next })
}
</script>

<template>
  <section data-control="grades">
    <h2>What is good</h2>
    <table v-if="measures">
      <thead>
        <tr>
          <th title="the worst of this clip, beyond the source's">beyond the source</th>
          <th title="through rotations alone">alone</th>
          <th>now</th>
          <th>look</th>
          <th>wrong</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in measures.kinds" :key="row.kind">
          <td>{{ row.kind }}</td>
          <td class="mono">{{ row.before.toFixed(1) }}</td>
          <td class="mono">
            <b>{{ withUnit(row.after, row.unit) }}</b>
          </td>
          <td>
            <DraftInput
              :value="row.look"
              :aria-label="`${row.kind}: worth a look from`"
              inputmode="decimal"
              @change="say($event, row.kind, 0)"
            />
          </td>
          <td>
            <DraftInput
              :value="row.wrong"
              :aria-label="`${row.kind}: wrong from`"
              inputmode="decimal"
              @change="say($event, row.kind, 1)"
            />
          </td>
          <td>
            <button
              v-if="row.kind in grades"
              class="plain word"
              :aria-label="`${row.kind}: as usual`"
              @click="emit('keep', { [row.kind]: null })"
            >
              reset
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">Measured when the clip is.</p>
  </section>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13px;
}
th {
  font-weight: 400;
  color: var(--quiet);
  text-align: right;
  font-size: 12.5px;
}
th:first-child {
  text-align: left;
}
td {
  padding: 1px 0 1px 6px;
  border-top: 1px solid var(--hairline);
  text-align: right;
  white-space: nowrap;
}
td:first-child {
  text-align: left;
  padding-left: 0;
}
input {
  width: 3.1rem;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 1px 4px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 12.5px;
  text-align: right;
  min-height: 24px;
}
</style>
