<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, client } from '@/api/client'
import { fetchPositions } from '@/api/motion'
import TabList from '@/shared/frame/TabList.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { useDraft } from '@/shared/useDraft'
import { useLatest } from '@/shared/useLatest'
import type { Positions } from '@/stage/motion'
import type { Bones } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { limitsQuery, UNLIMITED, type Limits } from './candidateRange'
import CandidateRange from './CandidateRange.vue'
import CandidateList from './CandidateList.vue'
import CostMap from './CostMap.vue'
import JoinFields from './JoinFields.vue'
import NextClip from './NextClip.vue'
import SpanFields from './SpanFields.vue'
import {
  joinedAt,
  placeOf,
  spanAdded,
  withJoin,
  withSpan,
  type Candidate,
  type Join,
  type Made,
  type Rearranged,
  type Splice,
  type SpliceRow,
} from './splices'

/** A splice's name, its spans in words, and the join that is looked at: what is said of it, and where it could be. */
const props = defineProps<{
  row: SpliceRow
  splice: Splice
  made: Made | null
  bones: Bones | null
  chosen: number
  undoable: boolean
  redoable: boolean
}>()
const emit = defineEmits<{
  try: [splice: Splice]
  keep: [splice: Splice]
  rearrange: [wanted: Rearranged]
  choose: [join: number]
  undo: []
  redo: []
}>()
const LEAVES = { candidates: 'Candidates', map: 'Cost map' }
const leaf = defineModel<keyof typeof LEAVES>('leaf', { required: true })
const candidates = defineModel<Candidate[]>('candidates', { required: true })
const library = useLibrary()
const messages = useMessages()

const name = useDraft(
  () => props.row.name,
  () => library.clip(props.row.clip_id)?.lock_version ?? 0,
)
const typed = name.text
const rename = () =>
  messages
    .attempt(
      (again) => library.change(props.row.clip_id, { name: typed.value }, again ? undefined : name.end()),
      () => library.look(props.row.clip_id),
    )
    .then(name.show)

const fps = computed(() => props.made?.fps ?? 30)
const spans = computed(() => props.splice.spans.slice(props.chosen, props.chosen + 2))
const names = computed(
  () =>
    spans.value.map(({ clip }) => props.row.clips.find((part) => part.key === clip)?.name ?? '') as [string, string],
)
const join = computed<Join | undefined>(() => props.splice.joins[props.chosen])
const madeJoin = computed(() => props.made?.joins.find((each) => each.number === props.chosen))
const place = computed(() => placeOf(props.splice, props.chosen, props.row.clips, fps.value))
/** Of what the candidates and the map are: which clips, in which state. */
const pair = computed(() =>
  spans.value
    .map(({ clip }) => `${clip}.${props.row.clips.find((part) => part.key === clip)?.revision}`)
    .concat(`${fps.value}`)
    .join(),
)
const first = shallowRef<Positions | null>(null)
const second = shallowRef<Positions | null>(null)
const looking = ref(false)
/** Whether candidates are looked for in all frames, or where neither clip loses more than its half. */
const everywhere = ref(false)
/** Frames that are said instead. */
const limits = ref<Limits>(UNLIMITED)
const frames = computed(
  () => spans.value.map(({ clip }) => props.row.clips.find(({ key }) => key === clip)?.frames ?? 1) as [number, number],
)
const latest = useLatest()
const moved = useLatest()
const keptPlace = computed(() => placeOf(props.row.splice, props.chosen, props.row.clips, fps.value).join())
const path = () => ({ splice_id: props.row.id, number: props.chosen })
let found: Promise<unknown> = Promise.resolve()
/** Done when the candidates of the join as it is are there. */
defineExpose({ found: () => found })
/** Where other clips meet is no place for these. */
watch(pair, () => {
  candidates.value = []
  limits.value = UNLIMITED
})
/** What was found stays while the place alone changes: the row of the place itself is asked for again. */
watch(
  () =>
    [props.row.id, props.chosen, pair.value, props.row.splice.spans.length, everywhere.value, ...limits.value].join(),
  () => {
    if (!props.row.splice.joins[props.chosen]) return
    looking.value = true
    const keys = props.row.splice.spans.slice(props.chosen, props.chosen + 2).map((span) => span.clip)
    found = latest(
      () =>
        Promise.all([
          answer(
            client.GET('/api/splices/{splice_id}/joins/{number}/candidates', {
              params: {
                path: path(),
                query: { everywhere: everywhere.value, ...limitsQuery(limits.value, frames.value) },
              },
            }),
          ),
          ...keys.map((key) => fetchPositions(`/api/splices/${props.row.id}/clips/${key}/positions`)),
        ] as const),
      ([rows, a, b]) => {
        candidates.value = rows
        ;[first.value, second.value] = [a, b]
      },
    )
      .catch(messages.fail)
      .finally(() => (looking.value = false))
  },
  { immediate: true },
)
watch(keptPlace, () => {
  const [out, into] = placeOf(props.row.splice, props.chosen, props.row.clips, fps.value)
  if (candidates.value.some((row) => row.out === out && row.into === into)) return
  void moved(
    () =>
      answer(
        client.GET('/api/splices/{splice_id}/joins/{number}/place', {
          params: { path: path(), query: { out, into } },
        }),
      ),
    (row) => (candidates.value = [row, ...candidates.value]),
  ).catch(messages.fail)
})
const joinAt = (out: number, into: number) => emit('keep', joinedAt(props.splice, props.chosen, out, into, fps.value))
const changed = (changes: Partial<Join>) => withJoin(props.splice, props.chosen, changes)
</script>

<template>
  <aside class="pane splice" :aria-label="`The splice ${row.name}`">
    <div class="top">
      <input
        v-model="typed"
        class="name"
        aria-label="Name of the splice"
        @focus="name.begin"
        @blur="name.leave"
        @change="rename"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <UndoRedo group="Splice" :undoable="undoable" :redoable="redoable" @undo="emit('undo')" @redo="emit('redo')" />
    </div>
    <SpanFields
      :splice="splice"
      :parts="row.clips"
      :chosen="chosen"
      @keep="(at, changes) => emit('keep', withSpan(splice, at, changes))"
      @rearrange="emit('rearrange', $event)"
      @choose="emit('choose', $event)"
    />
    <div class="then">
      <NextClip
        :skeleton="library.clip(row.clip_id)?.skeleton_id"
        :not="row.clip_id"
        @add="emit('rearrange', spanAdded(splice, $event))"
      />
    </div>
    <template v-if="join">
      <div class="heading">
        <h2>{{ names[0] }} <span class="quiet">into</span> {{ names[1] }}</h2>
        <span v-if="splice.joins.length > 1" class="quiet mono"
          >join {{ chosen + 1 }} of {{ splice.joins.length }}</span
        >
      </div>
      <JoinFields
        :join="join"
        :made="madeJoin"
        :pivots="row.pivots"
        :fps="fps"
        :number="chosen"
        @try="emit('try', changed($event))"
        @keep="emit('keep', changed($event))"
      />
      <TabList v-model="leaf" :tabs="LEAVES" label="Where the clips meet" panel="places">
        <span v-if="looking" class="quiet" role="status">looking …</span>
        <label class="quiet" title="Else in the last half of the one and the first half of the other"
          ><input v-model="everywhere" type="checkbox" /> in all frames</label
        >
      </TabList>
      <CandidateRange v-model="limits" :names="names" :frames="frames" :everywhere="everywhere" />
      <div id="places" role="tabpanel" :aria-labelledby="`places-${leaf}`">
        <CandidateList
          v-if="leaf === 'candidates'"
          :candidates="candidates"
          :out="place[0]"
          :into="place[1]"
          :first="first"
          :second="second"
          :bones="bones"
          :names="names"
          @choose="joinAt($event.out, $event.into)"
        />
        <CostMap
          v-else
          :splice="row.id"
          :join="chosen"
          :version="pair"
          :out="place[0]"
          :into="place[1]"
          :candidates="candidates"
          :names="names"
          :limits="limits"
          :frames="frames"
          @choose="joinAt"
          @limit="(wanted) => (limits = wanted)"
        />
      </div>
    </template>
    <p v-else class="quiet alone">One span alone has no join: add a clip for it to go on with.</p>
  </aside>
</template>

<style scoped>
.splice {
  width: 424px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
}
.top {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding: 10px 14px 4px;
}
.name {
  flex: 1;
  min-width: 0;
  font: inherit;
  font-size: 1.1rem;
  font-weight: 500;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: inherit;
  padding: 2px 6px;
  margin-left: -7px;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
}
.then {
  padding: 0 14px 8px;
}
.heading {
  display: flex;
  gap: 10px;
  align-items: baseline;
  justify-content: space-between;
  padding: 10px 14px 0;
  border-top: 1px solid var(--hairline);
  font-size: 13px;
}
.alone {
  padding: 14px;
}
@media (max-width: 1150px) {
  .splice {
    width: 368px;
  }
}
</style>
