<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import PlateDrawing from '@/features/library/PlateDrawing.vue'
import { inUnits } from '@/shared/units'
import { useLatest } from '@/shared/useLatest'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import type { TouchUps } from './useTouchUps'

/** Layers carried to other characters and clips of the skeleton; what would become of them is said first. */
const open = defineModel<boolean>({ required: true })
const props = defineProps<{ touchups: TouchUps; clip: { id: number; name: string } }>()
const cast = useCast()
const library = useLibrary()
const messages = useMessages()
const names = ref<string[]>([])
const characters = ref<number[]>([])
const clips = ref<number[]>([])
const by = ref<'time' | 'phase'>('time')
const told = shallowRef<Schemas['CarriedOut'][]>([])
const working = ref(false)
const own = computed(() => library.clip(props.clip.id))
const others = computed(() =>
  library.present.filter((row) => row.skeleton_id === own.value?.skeleton_id && row.id !== props.clip.id),
)
const here = computed(() => props.touchups.path().params.path.fitting_id)
const mine = ref<number | null>(null)
watch(open, async (now) => {
  if (!now) return
  names.value = props.touchups.layer.value ? [props.touchups.layer.value.name] : []
  characters.value = []
  clips.value = []
  told.value = []
  const fitting = await answer(
    client.GET('/api/fittings/{fitting_id}', { params: { path: { fitting_id: here.value } } }),
  ).catch(() => null)
  mine.value = fitting?.character_id ?? null
})
/** Every chosen clip on every chosen character; where none is chosen, the one in view. */
const cells = computed(() => {
  const who = characters.value.length ? characters.value : mine.value === null ? [] : [mine.value]
  const what = clips.value.length ? clips.value : [props.clip.id]
  return what
    .flatMap((clip) => who.map((character): [number, number] => [clip, character]))
    .filter(([clip, character]) => clip !== props.clip.id || character !== mine.value)
})
const carry = (trial: boolean) =>
  answer(
    client.POST('/api/fittings/{fitting_id}/touchups/{clip_id}/carry', {
      ...props.touchups.path(),
      body: { layers: names.value, to: cells.value, by: by.value, trial },
    }),
  )
const latest = useLatest()
watch([names, cells, by], () => {
  if (!open.value || !cells.value.length || !names.value.length) return void (told.value = [])
  void latest(
    () => carry(true),
    (rows) => (told.value = rows),
  ).catch(messages.fail)
})
async function take() {
  working.value = true
  try {
    const rows = await carry(false)
    const done = rows.filter((row) => row.names.length).length
    messages.say(`Carried to ${done} ${done === 1 ? 'result' : 'results'}; transfer them to see it.`)
    open.value = false
  } catch (problem) {
    messages.fail(problem)
  } finally {
    working.value = false
  }
}
const nameOf = ({ clip_id, character_id }: { clip_id: number; character_id: number }) =>
  `${library.clip(clip_id)?.name ?? ''} on ${cast.character(character_id)?.name ?? ''}`
</script>

<template>
  <v-dialog v-model="open" width="620" scrollable>
    <v-card class="carry" role="dialog" aria-label="Carry touch-ups over">
      <h2>Carry touch-ups over</h2>
      <div class="columns">
        <fieldset>
          <legend>Layers</legend>
          <label v-for="row in touchups.layers.value" :key="row.name">
            <input v-model="names" type="checkbox" :value="row.name" /> {{ row.name }}
          </label>
        </fieldset>
        <fieldset>
          <legend>To characters</legend>
          <label v-for="row in cast.present" :key="row.id">
            <input v-model="characters" type="checkbox" :value="row.id" /> {{ row.name }}
          </label>
        </fieldset>
        <fieldset>
          <legend>To clips</legend>
          <label v-for="row in others" :key="row.id">
            <input v-model="clips" type="checkbox" :value="row.id" /> {{ row.name }}
          </label>
          <p v-if="!others.length" class="quiet">No other clip is on this skeleton.</p>
        </fieldset>
      </div>
      <div v-if="clips.length" class="by" role="group" aria-label="Keys of other clips">
        <label><input v-model="by" type="radio" value="time" /> at the same time</label>
        <label><input v-model="by" type="radio" value="phase" /> in the same phase of steps</label>
      </div>
      <ul v-if="told.length" class="told" aria-live="polite">
        <li v-for="row in told" :key="`${row.clip_id} ${row.character_id}`">
          <b>{{ nameOf(row) }}</b>
          <span class="quiet">{{ row.names.length ? row.names.join(', ') : 'nothing of it' }}</span>
          <span v-if="row.preview" class="plates">
            <span><PlateDrawing :plate="row.preview.before" :name="`${nameOf(row)}, as it is`" /> as it is</span>
            <span><PlateDrawing :plate="row.preview.after" :name="`${nameOf(row)}, with it`" /> with it</span>
          </span>
          <span v-for="sentence in row.lost" :key="sentence" class="lost">{{ inUnits(sentence) }}</span>
        </li>
      </ul>
      <p v-else class="quiet">Choose characters, clips of this skeleton, or both.</p>
      <div class="row">
        <v-btn class="doing" :disabled="!told.some((row) => row.names.length) || working" @click="take">
          Carry to {{ told.filter((row) => row.names.length).length }}
        </v-btn>
        <button class="plain word" @click="open = false">Cancel</button>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.carry {
  padding: 18px 22px;
  display: grid;
  gap: 12px;
}
h2 {
  font-size: 18px;
  margin: 0;
}
.columns {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 14px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  max-height: 230px;
  overflow-y: auto;
}
legend {
  font-weight: 700;
  padding: 0;
}
label {
  display: flex;
  gap: 7px;
  min-height: 26px;
  align-items: center;
}
.by {
  display: flex;
  gap: 18px;
}
.plates {
  flex-basis: 100%;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
  font-size: 13px;
  color: var(--quiet);
  text-align: center;
}
.plates :deep(svg) {
  height: 74px;
  width: 100%;
  display: block;
}
.told {
  list-style: none;
  padding: 0;
  margin: 0;
  max-height: 260px;
  overflow-y: auto;
  display: grid;
  gap: 3px;
}
.told li {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.lost {
  flex-basis: 100%;
  color: var(--accent);
  font-size: 13.5px;
}
.row {
  display: flex;
  gap: 16px;
  align-items: center;
}
</style>
