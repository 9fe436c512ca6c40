<script setup lang="ts">
import { useCallSheet, type Wanted } from '@/stores/callSheet'
import type { Character } from '@/stores/cast'
import WantedMark from './WantedMark.vue'

/** Wanted motions against the cast: what is done, in work, to choose or missing. */
defineProps<{ rows: Wanted[]; characters: Character[] }>()
const sheet = useCallSheet()
const cell = (row: Wanted, character: Character) => row.cells.find((own) => own.character_id === character.id)
</script>

<template>
  <table>
    <thead>
      <tr>
        <th scope="col">Motion</th>
        <th scope="col">Due</th>
        <th v-for="character in characters" :key="character.id" scope="col">
          {{ character.name }}
          <span class="quiet"
            ><span class="mono">{{ sheet.toDo.get(character.id) ?? 0 }}</span> to do</span
          >
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.id">
        <th scope="row">
          {{ row.motion }}
          <span v-if="row.mood || row.prop || row.awaited.length" class="quiet">{{
            [row.mood, row.prop, ...row.awaited.map((name) => `for ${name}, who is awaited`)]
              .filter(Boolean)
              .join(' · ')
          }}</span>
        </th>
        <td class="mono due">{{ row.due ?? '' }}</td>
        <td v-for="character in characters" :key="character.id">
          <slot v-if="cell(row, character)" :row="row" :character="character" :cell="cell(row, character)!">
            <span class="cell"
              ><WantedMark :state="cell(row, character)!.state" /><span>{{ cell(row, character)!.state }}</span
              ><span v-if="row.variants > 1" class="mono quiet"
                >{{ cell(row, character)!.accepted }}/{{ row.variants }}</span
              ></span
            >
          </slot>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 14px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 5px 8px;
  border-bottom: 1px solid var(--hairline);
  font-weight: 400;
}
thead th {
  font-weight: 500;
  vertical-align: bottom;
  border-bottom-color: currentColor;
}
th .quiet {
  display: block;
  font-size: 13px;
  font-weight: 400;
}
.due {
  white-space: nowrap;
}
.cell {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
</style>
