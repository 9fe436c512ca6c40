<script setup lang="ts">
import StateMark from '@/features/board/StateMark.vue'
import { inUnits } from '@/shared/units'
import type { State } from '@/stores/board'
import type { QueueRow } from './useReviewQueue'

/**
 * The results that wait for a look, with the worst that was found in each. swept: only some that were chosen on the
 * board.
 */
defineProps<{ rows: QueueRow[]; index: number; left: number; swept: boolean }>()
const emit = defineEmits<{ go: [index: number]; all: [] }>()
const mark = (row: QueueRow) =>
  (row.state === 'accepted' || row.state === 'out of date' ? row.state : row.grade) as State
const saidOf = (row: QueueRow) => (row.note ? `Sent back: ${row.note}` : inUnits(row.worst) || 'no findings')
</script>

<template>
  <aside class="pane queue" aria-label="What waits for a look">
    <div class="top">
      <h1>Review</h1>
      <span class="quiet">
        {{ left === 1 ? 'one waits' : `${left} wait`
        }}<template v-if="swept"
          >, as swept · <button class="plain word" @click="emit('all')">all instead</button></template
        >
      </span>
    </div>
    <ol>
      <li v-for="(row, n) in rows" :key="row.id">
        <button class="plain row" :aria-current="n === index" @click="emit('go', n)">
          <StateMark :state="mark(row)" />
          <span class="what">
            <span
              >{{ row.clip }} <span class="quiet">{{ row.casting_id ? 'by' : 'on' }} {{ row.character }}</span></span
            >
            <span class="quiet small" :title="saidOf(row)">{{ saidOf(row) }}</span>
          </span>
        </button>
      </li>
    </ol>
  </aside>
</template>

<style scoped>
.queue {
  width: 312px;
  display: flex;
  flex-direction: column;
  overflow: hidden;
}
.top {
  padding: 12px 16px 8px;
  display: flex;
  gap: 10px;
  align-items: baseline;
  flex-wrap: wrap;
  border-bottom: 1px solid var(--hairline);
  font-size: 14px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  flex: 1;
}
.row {
  display: flex;
  gap: 10px;
  width: 100%;
  padding: 7px 16px;
  border-bottom: 1px solid var(--hairline);
  align-items: flex-start;
  content-visibility: auto;
  contain-intrinsic-size: 56px;
}
.row .mark {
  margin-top: 3px;
}
.row:hover,
.row[aria-current='true'] {
  background: rgb(var(--v-theme-surface-variant));
}
.what {
  display: grid;
  min-width: 0;
}
.small {
  font-size: 13px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
@media (max-width: 1150px) {
  .queue {
    width: 250px;
  }
}
</style>
