<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, client } from '@/api/client'
import { openFitting } from '@/features/fitting/open'
import { useContextMenu } from '@/shared/frame/useContextMenu'
import { labelOf, SHORTCUTS } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { asked, useAddress } from '@/shared/useAddress'
import { useLatest } from '@/shared/useLatest'
import {
  ofCasting,
  ofClip,
  useBoard,
  WORDS,
  type Action,
  type Cell,
  type ClipCell,
  type Mark,
  type Plan,
} from '@/stores/board'
import { sameBody } from '@/stores/bodies'
import { useCast, type Character } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useLibrary, type Clip } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRuns } from '@/stores/runs'
import { useChoice } from '@/stores/choice'
import { ACTIONS } from './actions'
import ActionBar from './ActionBar.vue'
import BoardGrid from './BoardGrid.vue'
import CastingSheet from './CastingSheet.vue'
import { lay, NONE, type Sheet } from './sheet'
import SheetHint from './SheetHint.vue'
import StateMark from './StateMark.vue'
import { useCastingSheet } from './useCastingSheet'
import { useSweep } from './useSweep'
import { useWantedSheet } from './useWantedSheet'
import WantedSheet from './WantedSheet.vue'

const library = useLibrary()
const cast = useCast()
const board = useBoard()
const runs = useRuns()
const messages = useMessages()
const choice = useChoice()
const route = useRoute()
const router = useRouter()

const text = ref(asked(route.query.find))
const tag = ref(asked(route.query.tag))
const skeleton = ref(Number(route.query.skeleton) || null)
const MARKS: Mark[] = [...WORDS, 'sent back']
const lit = ref(MARKS.filter((mark) => asked(route.query.state).split(',').includes(mark)))
/** What the rows are of. */
const sheet = ref<Sheet>((['ensembles', 'wanted'] as const).find((rows) => rows === route.query.rows) ?? 'clips')
useAddress({
  rows: () => (sheet.value === 'clips' ? '' : sheet.value),
  find: () => text.value,
  tag: () => tag.value,
  skeleton: () => String(skeleton.value ?? ''),
  state: () => lit.value.join(),
})
const working = ref(false)
const contextMenu = useContextMenu()
const grid = ref<InstanceType<typeof BoardGrid | typeof CastingSheet | typeof WantedSheet>>()
const plans = shallowRef<Record<Action, Plan> | null>(null)

const tags = computed(() => [...new Set(library.present.flatMap((clip) => clip.tags))].sort())
const bodies = computed(() => new Map(library.skeletons.map((body) => [body.id, body.name])))
const matching = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return library.present.filter((clip) => {
    if (skeleton.value !== null && clip.skeleton_id !== skeleton.value) return false
    if (tag.value && !clip.tags.includes(tag.value)) return false
    const about = `${clip.name} ${clip.tags.join(' ')} ${bodies.value.get(clip.skeleton_id) ?? ''}`.toLowerCase()
    return words.every((word) => about.includes(word))
  })
})
const withState = computed(() =>
  lit.value.length
    ? matching.value.filter((clip) => cast.present.some((character) => board.is(clip.id, character.id, lit.value)))
    : matching.value,
)
const entries = computed(() => lay(withState.value, library.skeletons))
const clips = computed(() => entries.value.filter((entry) => entry.kind === 'clip').map((entry) => entry.clips[0]))
const characters = computed(() => cast.present)
const sweep = useSweep(clips, characters)
const castings = useCastingSheet(text, lit)
const wanted = useWantedSheet(text)
const ofEnsembles = computed(() => sheet.value === 'ensembles')
const ofClips = computed(() => sheet.value === 'clips')
const swept = computed(() => ({ clips: sweep, ensembles: castings.sweep, wanted: wanted.sweep })[sheet.value])
const cells = computed<Cell[]>(() => swept.value.cells.value)
const clear = () => swept.value.clear()
/** How many cells are in which state, of those that a transfer could be for. */
const tally = computed(() => {
  if (ofEnsembles.value) return castings.tally.value
  const out = Object.fromEntries([...WORDS, 'sent back'].map((word) => [word, 0])) as Record<Mark, number>
  for (const clip of matching.value)
    for (const character of cast.present) {
      const state = board.state(clip.id, character.id)
      if (state !== 'not yet' || sameBody(clip, character)) out[state] += 1
      if (board.sentBack(clip.id, character.id)) out['sent back'] += 1
    }
  return out
})
const filtered = computed(
  () => !!text.value || lit.value.length > 0 || (ofClips.value && (tag.value !== '' || skeleton.value !== null)),
)
function showAll() {
  text.value = tag.value = ''
  skeleton.value = null
  lit.value = []
}
function light(mark: Mark) {
  lit.value = lit.value.includes(mark) ? lit.value.filter((other) => other !== mark) : [...lit.value, mark]
}

let weighing: ReturnType<typeof setTimeout> | undefined
const latest = useLatest()
watch([cells, () => board.states], () => {
  clearTimeout(weighing)
  if (!cells.value.length) return void (plans.value = null)
  weighing = setTimeout(() => {
    void latest(
      () => board.plans(cells.value).catch(messages.fail),
      (now) => now && cells.value.length && (plans.value = now),
    )
  }, 120)
})

async function act(action: Action) {
  const wanted = cells.value
  if (!wanted.length || working.value) return
  working.value = true
  try {
    if (action === 'transfer' || action === 'update') await board.transfer(wanted, action === 'update')
    else if (action === 'accept') await board.accept(wanted)
    else if (action === 'retire') await board.retire(wanted)
    else {
      choice.cells = wanted
      await router.push(action === 'review' ? '/review' : '/delivery/new')
    }
  } catch (problem) {
    messages.fail(problem)
  }
  working.value = false
  grid.value?.focus()
}
/** A key acts on what is swept where something can come of it. */
const onKey = (action: Action) => () => {
  if (!plans.value?.[action].count) return false
  void act(action)
}
async function open(clip: Clip, character: Character) {
  const state = board.state(clip.id, character.id)
  if (['good', 'look', 'wrong', 'accepted'].includes(state)) {
    choice.cells = sweep.cells.value.length > 1 ? sweep.cells.value : []
    const row = await answer(
      client.GET('/api/renditions/cell', { params: { query: { clip_id: clip.id, character_id: character.id } } }),
    ).catch(messages.fail)
    if (row) await router.push(`/review/${row.id}`)
  } else await openFitting(router, clip.id, character.id).catch(messages.fail)
}
/** A casting's result, or where there is none, the ensemble with it. */
async function openCasting(id: number) {
  const path = `/ensembles/${board.castings.get(id)?.ensemble_id}?casting=${id}`
  if (!['good', 'look', 'wrong', 'accepted'].includes(board.castingState(id))) return void (await router.push(path))
  choice.cells = cells.value.length > 1 ? cells.value : []
  const row = await answer(client.GET('/api/renditions/cell', { params: { query: { casting_id: id } } })).catch(
    messages.fail,
  )
  if (row) await router.push(`/review/${row.id}`)
}
/** What can be done with a cell, or with all that are swept and it among them. */
function menu(event: MouseEvent, cell: string, openIt: () => Promise<unknown>) {
  const count = cells.value.length
  contextMenu.open(event, count > 1 ? `${count} cells` : cell, () => [
    { label: 'Open', key: 'Enter', act: openIt },
    ...ACTIONS.map(({ action, word }) => ({
      label: word,
      key: labelOf(SHORTCUTS.Board.shortcuts[action]),
      disabled: working.value || !plans.value?.[action].count,
      act: () => act(action),
    })),
  ])
}
async function fit(skeletonId: number, characterId: number) {
  const clip = library.present.find((row) => row.skeleton_id === skeletonId)
  if (clip) await openFitting(router, clip.id, characterId).catch(messages.fail)
}
/** Whatever waits and is looked at comes first. */
function seen(cells: ClipCell[]) {
  const waiting = cells.filter(([clip, character]) => board.state(clip, character) === 'waiting')
  if (waiting.length) void client.POST('/api/runs/first', { body: { cells: waiting } })
}
useShortcuts('Board', {
  sheet: () => void grid.value?.focus(),
  transfer: onKey('transfer'),
  update: onKey('update'),
  review: onKey('review'),
  accept: onKey('accept'),
  deliver: onKey('deliver'),
  retire: onKey('retire'),
  undo: () => void board.undo().catch(messages.fail),
  redo: () => void board.redo().catch(messages.fail),
})
const look = () => board.load().catch(messages.fail)
// How far wanted motions are hangs on the states of their cells.
watch(() => board.states, wanted.load)
watch(() => runs.moved, look)
useChanges().on(['renditions', 'fittings', 'library', 'cast', 'ensembles', 'callsheet'], look)
onMounted(async () => {
  await castings.load()
  await look()
  sweep.toggle(choice.swept.filter(ofClip), false)
  castings.sweep.toggle(choice.swept.filter(ofCasting), false)
  watch([sweep.cells, castings.sweep.cells], ([ofClips, played]) => (choice.swept = [...ofClips, ...played]))
})
</script>

<template>
  <div v-if="library.loaded && cast.loaded && (!library.present.length || !cast.present.length)" class="view">
    <div class="empty">
      <h1>The board is empty</h1>
      <p>Here stand the clips against the characters, one cell for each rendition. It needs at least one of both.</p>
      <v-btn v-if="!library.present.length" class="doing" to="/library">Bring in motion</v-btn>
      <v-btn v-else class="doing" to="/cast">Bring in a character</v-btn>
    </div>
  </div>
  <div v-else-if="library.loaded && cast.loaded && board.loaded" class="view">
    <section class="board">
      <div class="bar">
        <h1>Board</h1>
        <div
          v-if="castings.all.value.length || wanted.rows.value.length"
          class="choice"
          role="group"
          aria-label="What the rows are of"
        >
          <button :aria-pressed="ofClips" @click="sheet = 'clips'">Clips</button>
          <button v-if="castings.all.value.length" :aria-pressed="ofEnsembles" @click="sheet = 'ensembles'">
            Ensembles
          </button>
          <button :aria-pressed="sheet === 'wanted'" @click="sheet = 'wanted'">Wanted</button>
        </div>
        <input
          v-model="text"
          class="search"
          type="search"
          :placeholder="`Find ${sheet}`"
          :aria-label="`Find ${sheet}`"
        />
        <select v-if="ofClips && library.skeletons.length > 1" v-model="skeleton" aria-label="Skeleton">
          <option :value="null">all skeletons</option>
          <option v-for="body in library.skeletons" :key="body.id" :value="body.id">{{ body.name }}</option>
        </select>
        <select v-if="ofClips && tags.length" v-model="tag" aria-label="Tag">
          <option value="">all tags</option>
          <option v-for="name in tags" :key="name">{{ name }}</option>
        </select>
        <button v-if="filtered" class="plain word" @click="showAll">Show all</button>
        <span class="space"></span>
        <div v-if="sheet !== 'wanted'" class="states" role="group" aria-label="States">
          <button
            v-for="word in WORDS"
            :key="word"
            class="plain state"
            :aria-pressed="lit.includes(word)"
            :disabled="!tally[word] && !lit.includes(word)"
            @click="light(word)"
          >
            <StateMark :state="word" /> {{ word }} <span class="mono quiet">{{ tally[word] }}</span>
          </button>
          <button
            v-if="tally['sent back'] || lit.includes('sent back')"
            class="plain state"
            :aria-pressed="lit.includes('sent back')"
            @click="light('sent back')"
          >
            <span class="back">sent back</span> <span class="mono quiet">{{ tally['sent back'] }}</span>
          </button>
        </div>
      </div>
      <CastingSheet
        v-if="ofEnsembles && castings.rows.value.length"
        ref="grid"
        :rows="castings.rows.value"
        :sweep="castings.sweep"
        :lit="lit"
        @open="openCasting"
        @menu="(event, id) => menu(event, castings.title(id), () => openCasting(id))"
      />
      <WantedSheet v-else-if="sheet === 'wanted' && wanted.rows.value.length" ref="grid" :sheet="wanted" />
      <BoardGrid
        v-else-if="ofClips && entries.length"
        ref="grid"
        :entries="entries"
        :clips="clips"
        :characters="characters"
        :sweep="sweep"
        :lit="lit"
        @open="open"
        @menu="
          (event, clip, character) => menu(event, `${clip.name} on ${character.name}`, () => open(clip, character))
        "
        @seen="seen"
      />
      <div v-else class="empty">
        <p>{{ NONE[sheet] }}</p>
        <v-btn @click="showAll">Show all</v-btn>
      </div>
      <ActionBar
        v-if="cells.length"
        :cells="cells"
        :plans="plans"
        :working="working"
        @act="act"
        @clear="clear"
        @take-back="board.takeBack(cells).catch(messages.fail)"
        @fit="fit"
      />
      <SheetHint v-else :sheet="sheet" />
    </section>
  </div>
</template>

<style scoped>
.board {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 9px 20px;
  flex-wrap: wrap;
}
.search {
  width: 150px;
  min-height: 28px;
  padding: 1px 8px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--panel);
  color: inherit;
}
.search::placeholder {
  color: var(--quiet);
  opacity: 1;
}
.search,
select {
  font-size: 14px;
  max-width: 150px;
}
.states {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 4px;
}
.state {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  padding: 2px 6px;
  min-height: 26px;
  font-size: 13.5px;
  border-radius: 3px;
  border: 1px solid transparent;
}
.state:hover:not(:disabled) {
  border-color: var(--hairline);
}
.state[aria-pressed='true'] {
  background: var(--panel);
  border-color: var(--ink);
}
.state:disabled {
  opacity: 0.45;
  cursor: default;
}
.back {
  color: var(--wrong);
}
</style>
