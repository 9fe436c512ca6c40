<script setup lang="ts">
import { useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'

import WantedMark from '@/features/callsheet/WantedMark.vue'
import WantedTable from '@/features/callsheet/WantedTable.vue'
import type { Wanted } from '@/stores/callSheet'
import type { useWantedSheet } from './useWantedSheet'

/** Wanted motions against characters: what was chosen for them is swept from here; where nothing is, it is chosen. */
const props = defineProps<{ sheet: ReturnType<typeof useWantedSheet> }>()
const router = useRouter()
const table = useTemplateRef<HTMLElement>('table')

function press(row: Wanted, character: number, chosen: number) {
  if (chosen) props.sheet.toggle([[row, character]])
  else void router.push(`/callsheet?row=${row.id}`)
}
const title = (cell: Wanted['cells'][number], row: Wanted) =>
  cell.chosen
    ? `${cell.accepted} of ${row.variants} accepted, ${cell.made} made, ${cell.chosen} chosen`
    : cell.fits
      ? `Choose among ${cell.fits} on the call sheet`
      : 'Nothing in the library fits; see the call sheet'
const countOf = (cell: Wanted['cells'][number], row: Wanted) =>
  row.variants > 1 ? ` ${cell.accepted}/${row.variants}` : ''
defineExpose({ focus: () => table.value?.querySelector<HTMLElement>('button')?.focus({ preventScroll: true }) })
</script>

<template>
  <div ref="table" class="table">
    <WantedTable :rows="sheet.rows.value" :characters="sheet.characters.value">
      <template #default="{ row, character, cell }">
        <button
          class="plain press"
          :aria-pressed="cell.chosen ? sheet.has(row, character.id) : undefined"
          :aria-label="`${row.motion} by ${character.name}: ${cell.state}${countOf(cell, row)}`"
          :title="title(cell, row)"
          @click="press(row, character.id, cell.chosen)"
        >
          <WantedMark :state="cell.state" /><span>{{ cell.state }}</span
          ><span v-if="row.variants > 1" class="mono quiet">{{ countOf(cell, row) }}</span>
        </button>
      </template>
    </WantedTable>
  </div>
</template>

<style scoped>
.table {
  flex: 1;
  min-height: 0;
  overflow: auto;
  padding: 0 12px 20px;
  background: var(--panel);
  border-top: 1px solid var(--hairline);
  border-bottom: 1px solid var(--hairline);
}
.press {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
  min-height: 26px;
  padding: 0 8px 0 5px;
  margin: -2px 0 -2px -6px;
  border: 1px solid transparent;
  border-radius: 3px;
}
.press:hover {
  border-color: var(--hairline);
}
.press[aria-pressed='true'] {
  border-color: var(--accent);
  background: var(--paper);
}
</style>
