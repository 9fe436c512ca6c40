<script setup lang="ts">
import { computed } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import FileButton from '@/shared/frame/FileButton.vue'
import { useDraft } from '@/shared/useDraft'
import { MOTION } from '@/stores/arrivals'
import { likeliest } from '@/stores/bodies'
import { useCast } from '@/stores/cast'
import { useLibrary, type Clip, type ClipChange } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { floorOf, heightOf, unitOf, UNITS, UPS, upOf } from '@/features/library/choices'
import { travel } from '@/features/library/clipFacts'
import Detected from '@/features/library/Detected.vue'
import TagEditor from '@/features/library/TagEditor.vue'
import { frameRange, inUnits, lengthNumber, lengthUnit, lengthWord, metresOf } from '@/shared/units'

/** What is known of a clip, what was detected of its file, and what can be said otherwise. */
const props = defineProps<{
  clip: Clip
  evidence: string[]
  change: (wanted: ClipChange, base?: number) => Promise<boolean>
}>()
const emit = defineEmits<{
  wholeTake: []
  newVersion: [files: File[]]
  perform: [character: number]
}>()
const library = useLibrary()
const cast = useCast()
const messages = useMessages()

const skeleton = computed(() => library.skeletons.find((body) => body.id === props.clip.skeleton_id))
const knownTags = computed(() => [...new Set(library.clips.flatMap((clip) => clip.tags))].sort())
const segments = computed(() => library.clips.filter((clip) => clip.segment_of_id === props.clip.id))
const parent = computed(() => (props.clip.segment_of_id ? library.clip(props.clip.segment_of_id) : undefined))
const isPart = computed(() => props.clip.first > 0 || props.clip.last < props.clip.take_frames - 1)
const floor = computed(() => floorOf(props.clip.ground, props.clip.floor))
const up = computed(() => upOf(props.evidence))
const unit = computed(() => unitOf(props.evidence))
const floorHint = computed(() => (props.clip.ground.floor == null ? '' : lengthNumber(props.clip.ground.floor)))

const version = () => props.clip.lock_version
const floorDraft = useDraft(() => (props.clip.floor == null ? '' : lengthNumber(props.clip.floor)), version)
const typedFloor = floorDraft.text
async function setFloor() {
  const text = typedFloor.value.trim().replace(',', '.')
  const value = Number(text)
  const base = floorDraft.end()
  if (text === '' || Number.isFinite(value))
    await props.change({ floor: text === '' ? 'measured' : metresOf(value) }, base)
  floorDraft.show()
}
/** Once more from its file, in another way; "detect" is how it was read at first. */
async function readAgain(body: Schemas['Reading']) {
  try {
    await answer(client.POST('/api/intake/clips/{clip_id}', { params: { path: { clip_id: props.clip.id } }, body }))
    messages.say(`${props.clip.take_name} is read again.`, { label: 'To the intake', path: '/library/intake' })
  } catch (problem) {
    messages.fail(problem)
  }
}
</script>

<template>
  <div class="facts" role="group" :aria-label="`About ${clip.name}`">
    <TagEditor :tags="clip.tags" :known="knownTags" :label="clip.name" @change="change" />
    <dl>
      <dt>skeleton</dt>
      <dd>{{ skeleton?.name }}</dd>
      <dt>length</dt>
      <dd class="mono">{{ clip.frames }} f, {{ clip.seconds.toFixed(2) }} s</dd>
      <dt>take</dt>
      <dd class="mono">{{ clip.take_frames }} f, kept {{ frameRange(clip.first, clip.last) }}</dd>
      <dt>rate</dt>
      <dd class="mono">{{ +clip.fps.toFixed(3) }} fps</dd>
      <dt>travel</dt>
      <dd class="mono">{{ travel(clip) }}</dd>
      <dt>floor</dt>
      <dd>
        <Detected
          label="at"
          :value="floor.value"
          :evidence="floor.why"
          :told="clip.floor !== null"
          :doubt="floor.doubt"
          :choices="floor.choices"
          @choose="(at) => change({ floor: at === 'measured' ? 'measured' : Number(at) })"
        />
        <label class="length">
          <input
            v-model="typedFloor"
            :placeholder="floorHint"
            inputmode="decimal"
            :aria-label="`Height of the floor, ${lengthWord()}`"
            @focus="floorDraft.begin"
            @blur="floorDraft.leave"
            @change="setFloor"
          />
          {{ lengthUnit.value }}
        </label>
      </dd>
      <dt>up</dt>
      <dd>
        <Detected
          label="was"
          :value="up.value"
          :evidence="up.why"
          :choices="UPS"
          @choose="(axis) => readAgain({ up: axis })"
        />
      </dd>
      <dt>unit</dt>
      <dd>
        <Detected
          label="was"
          :value="unit.value"
          :evidence="unit.why"
          :choices="UNITS"
          :length="heightOf(undefined)"
          @choose="(name) => readAgain({ unit: name })"
          @say="(height) => readAgain({ height })"
        />
      </dd>
      <dt>loop</dt>
      <dd>{{ clip.loop ? 'ends as it began' : 'no' }}</dd>
      <dt>version</dt>
      <dd class="mono">{{ clip.revision }}</dd>
      <dt>file</dt>
      <dd>
        <a class="word mono" :href="`/api/library/clips/${clip.id}/file`" :download="clip.take_name">{{
          clip.take_name
        }}</a>
      </dd>
    </dl>
    <button v-if="isPart" class="plain word" @click="emit('wholeTake')">Whole take</button>
    <p v-if="parent">
      Cut from <router-link :to="`/library/clips/${parent.id}`">{{ parent.name }}</router-link>.
    </p>
    <p v-if="segments.length">
      Cut from its take:
      <template v-for="(segment, n) in segments" :key="segment.id">
        <template v-if="n">, </template>
        <router-link :to="`/library/clips/${segment.id}`">{{ segment.name }}</router-link>
      </template>
    </p>
    <p v-for="note in clip.notes" :key="note" class="quiet note">{{ inUnits(note) }}</p>
    <h2 v-if="cast.present.length">See it performed</h2>
    <ul>
      <li v-for="{ character, same } in likeliest(clip)" :key="character.id">
        <button
          class="plain word"
          :class="{ quiet: !same }"
          :title="same ? undefined : 'another body'"
          @click="emit('perform', character.id)"
        >
          {{ character.name }}
        </button>
      </li>
    </ul>
    <span class="space"></span>
    <FileButton label="New version from a file" :accept="MOTION" @files="emit('newVersion', $event)" />
    <p class="quiet note">Or drop the file here. Name, tags and fittings stay.</p>
    <v-btn v-if="clip.retired" @click="change({ retired: false })">Restore</v-btn>
    <v-btn v-else @click="change({ retired: true })">Retire</v-btn>
  </div>
</template>

<style scoped>
.facts {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  flex: 1;
}
dl {
  display: grid;
  grid-template-columns: 4.4rem 1fr;
  gap: 3px 8px;
  margin: 0;
  font-size: 14px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
}
.length {
  white-space: nowrap;
}
.length input {
  width: 3.6rem;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 1px 5px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 13px;
  text-align: right;
  min-height: 25px;
}
.note {
  font-size: 13.5px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
</style>
