<script setup lang="ts">
import { computed, ref } from 'vue'

import { useCallSheet, type Wanted } from '@/stores/callSheet'
import { useCast } from '@/stores/cast'
import { useMessages } from '@/stores/messages'
import WantedMark from './WantedMark.vue'

/** For whom a motion is wanted: characters of the cast, each with what there is for it, and names that are awaited. */
const props = defineProps<{ row: Wanted }>()
const sheet = useCallSheet()
const cast = useCast()
const messages = useMessages()
const open = ref(false)
const name = (id: number) => cast.character(id)?.name ?? '…'
const about = (cell: Wanted['cells'][number]) =>
  `${name(cell.character_id)}: ${cell.state}; ${cell.accepted} of ${props.row.variants} accepted, ${cell.chosen} chosen`

const who = computed(() => [...props.row.cells.map((cell) => name(cell.character_id)), ...props.row.awaited])
/** It begins with what is seen, as whoever speaks to the page will say it. */
const label = computed(() =>
  [`for whom? ${who.value.join(' ') || 'nobody yet'}`, ...props.row.cells.map(about)].join('. '),
)

function toggle(id: number) {
  const own = props.row.character_ids
  const character_ids = own.includes(id) ? own.filter((other) => other !== id) : [...own, id]
  sheet.change(props.row.id, { character_ids }).catch(messages.fail)
}
const forget = (awaited: string) =>
  sheet.change(props.row.id, { awaited: props.row.awaited.filter((other) => other !== awaited) }).catch(messages.fail)
</script>

<template>
  <div class="for">
    <v-menu v-model="open" :close-on-content-click="false" location="bottom start">
      <template #activator="{ props: activator }">
        <button v-bind="activator" class="plain names" :aria-label="label">
          <span v-for="cell in row.cells" :key="cell.character_id" class="who" :title="about(cell)"
            ><WantedMark :state="cell.state" />{{ name(cell.character_id) }}</span
          >
          <span
            v-for="awaited in row.awaited"
            :key="awaited"
            class="who away"
            :title="`${awaited} is not in the cast`"
            >{{ awaited }}</span
          >
          <span v-if="!who.length" class="quiet">for whom?</span>
        </button>
      </template>
      <v-sheet class="choices" role="group" :aria-label="`For whom “${row.motion}” is wanted`">
        <label v-for="character in cast.present" :key="character.id">
          <input type="checkbox" :checked="row.character_ids.includes(character.id)" @change="toggle(character.id)" />{{
            character.name
          }}<span class="quiet">{{ character.plan || 'no body plan' }}</span>
        </label>
        <p v-for="awaited in row.awaited" :key="awaited" class="awaited">
          {{ awaited }} <span class="quiet">not in the cast yet</span>
          <button class="plain word" :aria-label="`Without ${awaited}`" @click="forget(awaited)">Take out</button>
        </p>
        <p v-if="!cast.present.length" class="quiet">Nobody is in the cast yet.</p>
      </v-sheet>
    </v-menu>
  </div>
</template>

<style scoped>
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 1px 10px;
  min-height: 28px;
  width: 100%;
  align-items: center;
  padding: 1px 6px;
  border: 1px solid transparent;
  border-radius: 3px;
  font-size: 14px;
}
.names:hover,
.names:focus-visible {
  border-color: var(--hairline);
}
.who {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.away {
  color: var(--quiet);
  border-bottom: 1px dashed currentColor;
}
.choices {
  display: grid;
  gap: 1px;
  padding: 8px 12px;
  max-height: 340px;
  overflow-y: auto;
}
.choices label {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 28px;
  cursor: pointer;
}
.awaited {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
</style>
