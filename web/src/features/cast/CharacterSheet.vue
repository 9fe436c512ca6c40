<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import FileButton from '@/shared/frame/FileButton.vue'
import { useDraft } from '@/shared/useDraft'
import TagEditor from '@/features/library/TagEditor.vue'
import { lengthText } from '@/shared/units'
import { FIGURES } from '@/stores/arrivals'
import { useCast, type Bones, type Character } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import LimitRows from './LimitRows.vue'
import type { Sheet } from './sheet'
import SheetFacts from './SheetFacts.vue'

const props = defineProps<{ character: Character }>()
const emit = defineEmits<{
  close: []
  perform: [clip: number]
  point: [bone: number | null]
  pose: [rotations: Float32Array | null, translations: Float32Array | null]
}>()
const limits = ref(false)
const cast = useCast()
const library = useLibrary()
const messages = useMessages()
const bones = ref<Bones | null>(null)
const group = ref<'body' | 'hands' | 'head' | 'other'>('body')
const sheet = computed(() => props.character.sheet as unknown as Sheet)
const known = computed(() => [...new Set(cast.characters.flatMap((character) => character.tags))].sort())

const recognised = ref<Schemas['RecognisedOut'][]>([])
watch(
  () => props.character.skeleton_id,
  async (id) => {
    bones.value = await cast.skeleton(id).catch(() => null)
    recognised.value = await answer(
      client.GET('/api/patterns/recognised/{skeleton_id}', { params: { path: { skeleton_id: id } } }),
    ).catch(() => [])
  },
  { immediate: true },
)
const FINGERS = ['thumb', 'index', 'middle', 'ring', 'little']
const HEAD = ['head', 'neck', 'jaw', 'eye', 'ear']
function groupOf(part: string | null) {
  if (!part) return 'other'
  const words = part.replace(/^(left|right) /, '').split(' ')
  if (FINGERS.includes(words[0])) return 'hands'
  return HEAD.includes(words[0]) ? 'head' : 'body'
}
const rows = computed(() =>
  (bones.value?.names ?? []).map((name, joint) => ({
    name,
    joint,
    part: bones.value!.parts[joint],
    group: groupOf(bones.value!.parts[joint]),
  })),
)
const counts = computed(() =>
  Object.fromEntries(
    ['body', 'hands', 'head', 'other'].map((name) => [name, rows.value.filter((row) => row.group === name).length]),
  ),
)
const roles = computed(() => new Map((sheet.value.roles ?? []).map((row) => [row.bone, row])))
function change(wanted: Parameters<typeof cast.change>[1], base?: number) {
  const id = props.character.id
  return messages.attempt(
    (again) => cast.change(id, wanted, again ? undefined : base),
    () => cast.look(id),
  )
}
const version = () => props.character.lock_version
const name = useDraft(() => props.character.name, version)
const remarks = useDraft(() => props.character.remarks, version)
const typedName = name.text
const typedRemarks = remarks.text
async function rename() {
  await change({ name: typedName.value }, name.end())
  name.show()
}
async function setRemarks() {
  await change({ remarks: typedRemarks.value }, remarks.end())
  remarks.show()
}

/** The naming of this character as a pattern under its own name. */
async function keepNaming() {
  try {
    const made = await answer(
      client.POST('/api/patterns/', {
        body: { name: props.character.name, skeleton_id: props.character.skeleton_id, side: 'target' },
      }),
    )
    recognised.value = [{ pattern_id: made.id, name: made.name, score: 1, parts: Object.keys(made.parts).length }]
    messages.say(`The pattern “${made.name}” is kept; it names ${made.bones} bones.`, {
      label: 'See the patterns',
      path: '/fittings/patterns',
    })
  } catch (problem) {
    messages.fail(problem)
  }
}
async function newVersion(files: File[]) {
  const body = new FormData()
  body.append('file', files[0])
  const path = { character_id: props.character.id }
  try {
    await answer(
      client.POST('/api/cast/{character_id}/version', {
        params: { path },
        body: body as never,
        bodySerializer: (form) => form as never,
      }),
    )
    await Promise.all([cast.load(), library.load()])
  } catch (problem) {
    messages.fail(problem)
  }
}
async function retire() {
  await change({ retired: true })
  messages.say(`${props.character.name} retired.`, {
    label: 'Undo',
    run: () => cast.change(props.character.id, { retired: false }),
  })
  emit('close')
}
</script>

<template>
  <div class="head">
    <input
      v-model="typedName"
      class="name"
      aria-label="Name of the character"
      @focus="name.begin"
      @blur="name.leave"
      @change="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <button class="plain word" @click="emit('close')">Close</button>
  </div>
  <TagEditor :tags="character.tags" :known="known" :label="character.name" @change="change" />
  <dl>
    <dt>height</dt>
    <dd class="mono">{{ lengthText(character.height) }}</dd>
    <dt>faces</dt>
    <dd class="mono">{{ character.facing === null ? 'unknown' : `${character.facing.toFixed(1)}° from forward` }}</dd>
    <dt>naming</dt>
    <dd v-if="recognised.length">
      <router-link to="/fittings/patterns">{{ recognised[0].name }}</router-link>,
      <span class="mono">{{ Math.round(recognised[0].score * 100) }}</span> of 100
    </dd>
    <dd v-else>no pattern knows it; <button class="plain word" @click="keepNaming">keep it as one</button></dd>
    <dt>file</dt>
    <dd>
      <a class="word mono" :href="`/api/cast/${character.id}/file`" :download="character.file">{{ character.file }}</a>,
      version <span class="mono">{{ character.revision }}</span>
    </dd>
  </dl>
  <p v-if="character.changed" class="changed">{{ character.changed }}</p>
  <SheetFacts v-if="sheet.evidence" :sheet="sheet" />
  <textarea
    v-model="typedRemarks"
    rows="2"
    placeholder="Notes"
    aria-label="Notes"
    @focus="remarks.begin"
    @blur="remarks.leave"
    @change="setRemarks"
  ></textarea>
  <details>
    <summary>Bones by part</summary>
    <div class="choice" role="group" aria-label="Which bones">
      <button
        v-for="kind in ['body', 'hands', 'head', 'other'] as const"
        :key="kind"
        :aria-pressed="group === kind"
        @click="group = kind"
      >
        {{ kind }} <span class="mono">{{ counts[kind] }}</span>
      </button>
    </div>
    <ul class="bones" @mouseleave="emit('point', null)">
      <li
        v-for="row in rows.filter((bone) => bone.group === group)"
        :key="row.joint"
        tabindex="0"
        @mouseenter="emit('point', row.joint)"
        @focus="emit('point', row.joint)"
      >
        <span class="mono">{{ row.name }}</span><span class="quiet" :title="roles.get(row.name)?.reason">{{
          row.part ?? roles.get(row.name)?.role ?? ''
        }}</span>
      </li>
    </ul>
  </details>
  <details @toggle="limits = ($event.target as HTMLDetailsElement).open">
    <summary>Joint limits</summary>
    <LimitRows
      v-if="limits"
      :character-id="character.id"
      :version="character.lock_version"
      @changed="cast.look(character.id).catch(messages.fail)"
      @pose="(turns, places) => emit('pose', turns, places)"
      @point="(bone) => emit('point', bone === null ? null : (bones?.names.indexOf(bone) ?? null))"
    />
  </details>
  <details open>
    <summary>Let {{ character.name }} perform</summary>
    <p><router-link :to="`/cast/live?roles=${character.id}.0`">Live, what a stage streams</router-link></p>
    <p v-if="!library.present.length" class="quiet">
      There is no motion yet. Drop a motion file on the figure, or
      <router-link to="/library">bring in some</router-link>.
    </p>
    <ul>
      <li v-for="clip in library.present" :key="clip.id">
        <button class="plain clip" @click="emit('perform', clip.id)">
          <span>{{ clip.name }}</span><span class="mono quiet">{{ clip.seconds.toFixed(1) }} s</span>
        </button>
      </li>
    </ul>
    <p class="quiet">Or drop a motion file on the figure.</p>
  </details>
  <div class="foot">
    <v-btn :to="`/cast/${character.id}/bones`">Give it bones</v-btn>
    <FileButton label="New version" :accept="FIGURES" @files="newVersion" />
    <v-btn @click="retire">Retire</v-btn>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 8px;
}
.name {
  font: inherit;
  font-size: 1.15rem;
  font-weight: 500;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 2px 5px;
  margin-left: -6px;
  min-width: 0;
  flex: 1;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
}
dl {
  display: grid;
  grid-template-columns: 5.2rem 1fr;
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
}
.changed {
  border-left: 3px solid var(--accent);
  padding-left: 8px;
  font-size: 14px;
}
textarea {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--panel);
  color: inherit;
  font: inherit;
  font-size: 14px;
  padding: 5px 8px;
  resize: vertical;
  flex: none;
  min-height: 54px;
}
summary {
  cursor: pointer;
  font-weight: 700;
  min-height: 26px;
}
details .choice {
  margin: 4px 0;
}
details .choice button {
  padding: 2px 8px;
  font-size: 13px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  border-top: 1px solid var(--hairline);
}
.bones {
  max-height: 190px;
  overflow-y: auto;
}
.bones li {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  font-size: 13px;
  padding: 2px 2px;
  border-bottom: 1px solid var(--hairline);
}
.bones li:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.clip {
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 5px 2px;
  border-bottom: 1px solid var(--hairline);
}
.clip:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.foot {
  display: flex;
  gap: 10px;
  margin-top: auto;
  padding-top: 8px;
}
</style>
