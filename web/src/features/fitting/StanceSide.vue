<script setup lang="ts">
import { ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import DraftInput from '@/shared/fields/DraftInput.vue'
import { frameNumber, frameOf, frameRange, inUnits } from '@/shared/units'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import type { Offers, Wanted } from './stances'
import type { Which } from './weave'

/** The stance of one side: its name, what it was made of, and everything it can be taken from. */
const props = defineProps<{
  which: Which
  title: string
  stance: Schemas['StanceOut']
  offers: Offers | null
  fittingId: number
  clip?: { id: number; name: string }
  frame: number
  frames: number
}>()
const emit = defineEmits<{ stand: [wanted: Wanted]; offers: [] }>()
const messages = useMessages()
const dialog = ref<'A' | 'range' | 'keep' | 'kept' | null>(null)
const degrees = ref(45)
/** As numbers that are shown and typed. */
const range = ref({ first: 0, last: 0 })
const name = ref('')
type Kept = Offers['kept'][number]
useChanges().on(['stances'], () => emit('offers'))
const make = (kind: string, more: Partial<Wanted> = {}) =>
  emit('stand', { op: 'make', side: props.which, kind, ...more })

function takeMean() {
  const [first, last] = [frameOf(range.value.first), frameOf(range.value.last)]
  make('frames', { clip_id: props.clip?.id, first, last })
  dialog.value = null
}
function openRange() {
  range.value = {
    first: frameNumber(Math.max(0, props.frame - 5)),
    last: frameNumber(Math.min(props.frames - 1, props.frame + 5)),
  }
  dialog.value = 'range'
}
function openKeep() {
  name.value = props.stance.name
  dialog.value = 'keep'
}
/** Change what is kept; made again where somebody else was before, it is made whatever they did. */
const attempt = (work: (again: boolean) => Promise<unknown>) => {
  const look = async () => emit('offers')
  return messages.attempt(async (again) => {
    await work(again)
    await look()
  }, look)
}
const params = (id: number) => ({ params: { path: { stance_id: id } } })
async function keep() {
  const body = { side: props.which, name: name.value }
  if (
    await attempt(() =>
      answer(
        client.POST('/api/fittings/{fitting_id}/stances', { params: { path: { fitting_id: props.fittingId } }, body }),
      ),
    )
  ) {
    emit('stand', { op: 'name', side: props.which, name: name.value })
    dialog.value = null
  }
}
const rename = (kept: Kept, to: string) =>
  attempt((again) => {
    const headers = onVersion(again ? undefined : kept)
    return answer(client.PATCH('/api/stances/{stance_id}', { ...params(kept.id), headers, body: { name: to } }))
  })
const duplicate = (id: number) => attempt(() => answer(client.POST('/api/stances/{stance_id}/duplicate', params(id))))
const remove = (kept: Kept) =>
  attempt((again) => {
    const headers = onVersion(again ? undefined : kept)
    return answer(client.DELETE('/api/stances/{stance_id}', { ...params(kept.id), headers }))
  })
</script>

<template>
  <div class="side" :aria-label="`Stance of ${title}`" role="group">
    <div class="line">
      <span class="quiet who">{{ title }}</span>
      <v-menu max-height="560">
        <template #activator="{ props: menu }"
          ><button
            class="plain word name"
            v-bind="menu"
            :title="stance.how"
            :aria-label="`Stance of ${title}: ${stance.name}. Take another`"
          >
            {{ stance.name }}
          </button></template
        >
        <v-list density="compact" class="list">
          <v-list-item title="As proposed" @click="make('proposed')" />
          <v-list-item
            v-for="offer in offers?.offers ?? []"
            :key="offer.kind"
            :title="inUnits(offer.name)"
            :subtitle="inUnits(offer.how)"
            @click="make(offer.kind)"
          />
          <v-divider />
          <v-list-item
            v-if="clip"
            :title="`This frame, ${frameNumber(frame)}`"
            :subtitle="clip.name"
            @click="make('frames', { clip_id: clip.id, first: frame })"
          />
          <v-list-item v-if="clip" title="The mean of some frames …" @click="openRange" />
          <template v-if="offers?.arms">
            <v-divider />
            <v-list-item title="Arms in a T" @click="make('T')" />
            <v-list-item title="Arms in an A …" @click="dialog = 'A'" />
            <v-list-item title="Arms down" @click="make('arms down')" />
          </template>
          <v-list-item v-if="offers?.straight" title="Stood straight" @click="make('straight')" />
          <v-divider />
          <v-list-item
            v-for="kept in offers?.kept ?? []"
            :key="kept.id"
            :title="kept.name"
            :subtitle="`kept ${kept.origin}`"
            @click="make('kept', { stance_id: kept.id })"
          />
          <v-list-item title="Keep it under a name …" @click="openKeep" />
          <v-list-item v-if="offers?.kept.length" title="Kept stances …" @click="dialog = 'kept'" />
        </v-list>
      </v-menu>
      <span v-if="stance.aligned" class="mark">aligned</span>
      <span v-if="stance.turned.length" class="mark"
        ><span class="mono">{{ stance.turned.length }}</span> by hand</span
      >
    </div>
    <p class="quiet how" :title="inUnits(stance.how)">{{ inUnits(stance.how) }}</p>
    <v-dialog
      :model-value="dialog === 'A' || dialog === 'range' || dialog === 'keep'"
      max-width="400"
      @update:model-value="dialog = null"
    >
      <v-card class="card">
        <template v-if="dialog === 'A'">
          <h1>Arms in an A</h1>
          <label
            >Degrees from hanging
            <input
              v-model.number="degrees"
              type="number"
              min="0"
              max="180"
              autofocus
              @keydown.enter="(make('A', { degrees }), (dialog = null))"
          /></label>
          <div class="foot">
            <v-btn class="doing" @click="(make('A', { degrees }), (dialog = null))">Take it</v-btn
            ><v-btn @click="dialog = null">Cancel</v-btn>
          </div>
        </template>
        <template v-else-if="dialog === 'range'">
          <h1>The mean of some frames</h1>
          <p class="quiet">of {{ clip?.name }}, which has the frames {{ frameRange(0, frames - 1) }}</p>
          <label
            >From
            <input
              v-model.number="range.first"
              type="number"
              :min="frameNumber(0)"
              :max="frameNumber(frames - 1)"
              autofocus
          /></label>
          <label
            >To <input v-model.number="range.last" type="number" :min="frameNumber(0)" :max="frameNumber(frames - 1)"
          /></label>
          <div class="foot">
            <v-btn class="doing" @click="takeMean()">Take it</v-btn><v-btn @click="dialog = null">Cancel</v-btn>
          </div>
        </template>
        <template v-else>
          <h1>Keep this stance</h1>
          <p class="quiet">It belongs to the skeleton of {{ title }}, and every fitting of it can take it.</p>
          <v-text-field v-model="name" label="Name of the stance" autofocus @keydown.enter="keep" />
          <div class="foot">
            <v-btn class="doing" :disabled="!name.trim()" @click="keep">Keep it</v-btn
            ><v-btn @click="dialog = null">Cancel</v-btn>
          </div>
        </template>
      </v-card>
    </v-dialog>
    <v-dialog :model-value="dialog === 'kept'" max-width="520" @update:model-value="dialog = null">
      <v-card class="card">
        <h1>Kept stances of {{ title }}</h1>
        <ul>
          <li v-for="kept in offers?.kept ?? []" :key="kept.id">
            <DraftInput
              :value="kept.name"
              :aria-label="`Name of ${kept.name}`"
              @change="rename(kept, ($event.target as HTMLInputElement).value)"
            />
            <button class="plain word" @click="duplicate(kept.id)">Duplicate</button>
            <button class="plain word" @click="remove(kept)">Remove</button>
          </li>
        </ul>
        <p v-if="!offers?.kept.length" class="quiet">None are kept any more.</p>
        <div class="foot"><v-btn @click="dialog = null">Close</v-btn></div>
      </v-card>
    </v-dialog>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: baseline;
  min-width: 0;
}
.who {
  width: 5.4rem;
  flex: none;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name {
  font-weight: 500;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
}
.mark {
  font-size: 12px;
  color: var(--quiet);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 0 5px;
  white-space: nowrap;
}
.how {
  font-size: 12.5px;
  margin-left: calc(5.4rem + 8px);
  display: -webkit-box;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
}
.list {
  font-size: 14px;
  max-width: 400px;
}
.list :deep(.v-list-item-subtitle) {
  white-space: normal;
}
.card {
  padding: 18px 22px;
  background: var(--panel);
  display: grid;
  gap: 12px;
}
.card label {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.foot {
  display: flex;
  gap: 10px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
}
li input {
  flex: 1;
}
input {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 3px 7px;
  background: var(--paper);
  color: inherit;
  font: inherit;
  min-height: 28px;
  min-width: 0;
}
input[type='number'] {
  width: 6rem;
  text-align: right;
  font-family: var(--mono);
}
</style>
