<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useAddress } from '@/shared/useAddress'
import type { Bones } from '@/stores/cast'
import type { Edit, Follows } from './useFitting'
import PairFinder from './PairFinder.vue'
import PairMenu from './PairMenu.vue'
import PairSaying from './PairSaying.vue'
import { useWeaveMenu, type PairAct } from './useWeaveMenu'
import Weave from './Weave.vue'
import { counts, groupOf, GROUPS, type Fitting, type Group, type Which } from './weave'

/** The first leaf: pairs are made, confirmed and taken apart here, with the pointer or with keys alone. */
const props = defineProps<{
  fitting: Fitting
  source: Bones
  target: Bones
  character: string
  why: Map<string, Follows>
  pointed: string[]
  changed: string[]
}>()
const emit = defineEmits<{
  point: [id: string | null]
  edit: [wanted: Partial<Edit> & Pick<Edit, 'op'>]
  group: [group: Group]
}>()
const mirror = defineModel<boolean>('mirror', { required: true })
const held = defineModel<{ which: Which; bone: string } | null>('held', { required: true })
const group = ref<Group>(GROUPS.find((name) => name === useRoute().query.group) ?? 'Body')
useAddress({ group: () => (group.value === 'Body' ? '' : group.value) })
const here = ref<string | null>(null)
const weave = ref<InstanceType<typeof Weave>>()
const finder = ref<InstanceType<typeof PairFinder>>()
const now = computed(() => counts(props.fitting))
const pairHere = computed(() => {
  if (!here.value) return undefined
  const [which, bone] = split(here.value)
  return props.fitting.pairs.find((pair) => pair[which].includes(bone))
})
/** Which groups have anything in them, with how much there is to look at in each. */
const groups = computed(() => {
  const due = new Map<Group, number>()
  const limbOf = new Map(props.fitting.parts.map((part) => [part.name, part.limb]))
  for (const key of [...now.value.missing, ...now.value.doubtful, ...now.value.crossing]) {
    const limb = limbOf.get(key)
    const where = limb ? groupOf(limb, props.fitting.parts) : 'Extras'
    due.set(where, (due.get(where) ?? 0) + 1)
  }
  const there = new Set<Group>(['Body', 'All'])
  for (const part of props.fitting.parts)
    if (part.source.length || part.target.length) there.add(groupOf(part.limb, props.fitting.parts))
  const read = new Set(
    props.fitting.parts.flatMap((part) => [
      ...part.source.map((bone) => `source ${bone}`),
      ...part.target.map((bone) => `target ${bone}`),
    ]),
  )
  const free = (which: Which, tree: Bones) => tree.names.some((bone) => !read.has(`${which} ${bone}`))
  if (free('source', props.source) || free('target', props.target) || props.fitting.pairs.some((pair) => !pair.part))
    there.add('Extras')
  return GROUPS.filter((name) => there.has(name) || due.has(name)).map((name) => ({ name, due: due.get(name) ?? 0 }))
})
watch(group, (name) => emit('group', name))

function split(id: string): [Which, string] {
  const at = id.indexOf(' ')
  return [id.slice(0, at) as Which, id.slice(at + 1)]
}
/** Take a bone, or with the other side's bone taken draw the thread; add: beside the bones that the pair has. */
function take(which: Which, bone: string, add = false) {
  const other = held.value
  if (other && other.which !== which) {
    held.value = null
    connect(which === 'source' ? bone : other.bone, which === 'source' ? other.bone : bone, add)
  } else held.value = other?.bone === bone ? null : { which, bone }
}
function connect(source: string, target: string, add = false) {
  emit('edit', { op: 'connect', source: [source], target: [target], mirror: mirror.value, add })
}
/** Move one end of a thread to another bone of the same side. */
function move(key: string, which: Which, from: string, to: string) {
  const pair = props.fitting.pairs.find((row) => row.key === key)
  if (!pair) return
  const moved = pair[which].map((bone) => (bone === from ? to : bone))
  emit('edit', {
    op: 'set',
    keys: [key],
    source: which === 'source' ? moved : pair.source,
    target: which === 'target' ? moved : pair.target,
    mirror: mirror.value,
    moves: pair.moves,
  })
}
function show(key: string) {
  const limb = props.fitting.parts.find((part) => part.name === key)?.limb
  const where = limb ? groupOf(limb, props.fitting.parts) : 'Extras'
  if (group.value !== where && group.value !== 'All') group.value = where
  emit('point', key)
  const pair = props.fitting.pairs.find((row) => row.key === key)
  const part = props.fitting.parts.find((row) => row.name === key)
  const bone = pair?.source[0]
    ? `source ${pair.source[0]}`
    : part?.source[0]
      ? `source ${part.source[0]}`
      : part?.target[0]
        ? `target ${part.target[0]}`
        : null
  void nextTick(() => bone && weave.value?.focus(bone))
}
let last = ''
/** What is to be looked at, one after another. */
function next(kind: 'missing' | 'doubtful' | 'crossing' | 'any', back = false) {
  const order = [
    ...props.fitting.parts.map((part) => part.name),
    ...props.fitting.pairs.filter((pair) => !pair.part).map((pair) => pair.key),
  ]
  const wanted = new Set(
    kind === 'any' ? [...now.value.missing, ...now.value.crossing, ...now.value.doubtful] : now.value[kind],
  )
  const list = order.filter((key) => wanted.has(key))
  if (!list.length) return
  const at = order.indexOf(last)
  const after = back
    ? [...list].reverse().find((key) => order.indexOf(key) < at)
    : list.find((key) => order.indexOf(key) > at)
  last = after ?? (back ? list[list.length - 1] : list[0])
  show(last)
}
const limbKeys = (key: string) => {
  const limb = props.fitting.parts.find((part) => part.name === key)?.limb
  return limb
    ? props.fitting.pairs
        .filter(
          (pair) => pair.part && props.fitting.parts.some((part) => part.limb === limb && part.name === pair.part),
        )
        .map((pair) => pair.key)
    : [key]
}
/** The part that keys act on: of the pair, or of the bone as it is read. */
const keyHere = computed(() => {
  if (pairHere.value) return pairHere.value.key
  if (!here.value) return null
  const [which, bone] = split(here.value)
  return props.fitting.parts.find((part) => part[which].includes(bone))?.name ?? null
})
function act(what: PairAct) {
  const key = keyHere.value
  if (!key) return
  if (what === 'confirm') emit('edit', { op: 'confirm', keys: [key], mirror: mirror.value })
  else if (what === 'confirm limb') emit('edit', { op: 'confirm', keys: limbKeys(key), mirror: mirror.value })
  else if (what === 'remove') emit('edit', { op: 'remove', keys: [key], mirror: mirror.value })
  else if (what === 'swap') emit('edit', { op: 'swap', keys: limbKeys(key) })
  else
    emit('edit', {
      op: props.fitting.left_out.includes(key) ? 'bring back' : 'leave out',
      keys: [key],
      mirror: mirror.value,
    })
}
const menu = useWeaveMenu(() => props.fitting, held, { take, act })
function showGroup(digit: number) {
  const wanted = GROUPS[(digit + 5) % 6]
  if (groups.value.some(({ name }) => name === wanted)) group.value = wanted
}
/** Take the bone that has the focus, or draw the thread to it; add: beside the bones that the pair has. */
function hold(id: string, add: boolean) {
  const [which, bone] = split(id)
  if (held.value && held.value.which !== which) return take(which, bone, add)
  // With a bone taken, its counterpart is asked for by name.
  held.value = { which, bone }
  finder.value?.open()
}
useShortcuts('Pairing', {
  next: () => next('any'),
  previous: () => next('any', true),
  weave: () => weave.value?.focus(here.value ?? `source ${props.source.names[0]}`),
  find: () => finder.value?.open(),
  confirm: () => act('confirm'),
  confirmLimb: () => act('confirm limb'),
  remove: () => act('remove'),
  leaveOut: () => act('leave out'),
  swap: () => act('swap'),
  mirror: () => void (mirror.value = !mirror.value),
  group: (event) => showGroup(Number(event.key)),
  letGo: () => {
    if (!held.value) return false
    held.value = null
  },
})
/** A bone chosen by name: the counterpart of the one that is held, or the one to go to. */
function chosen(which: Which, bone: string, add: boolean) {
  const other = held.value
  if (other && other.which !== which) {
    held.value = null
    connect(which === 'source' ? bone : other.bone, which === 'source' ? other.bone : bone, add)
    goOn(other)
  } else go(which, bone)
}
function go(which: Which, bone: string) {
  const part =
    props.fitting.parts.find((part) => part[which].includes(bone)) ??
    props.fitting.parts.find(
      (part) => part.name === props.fitting.pairs.find((pair) => pair[which].includes(bone))?.part,
    )
  const where = part ? groupOf(part.limb, props.fitting.parts) : 'Extras'
  if (group.value !== where && group.value !== 'All') group.value = where
  void nextTick(() => weave.value?.focus(`${which} ${bone}`))
}
/** After a pair by keys, the next bone of that side that has none yet. */
function goOn(from: { which: Which; bone: string }) {
  const mates = new Set([from.bone, twin(from.which, from.bone)])
  const paired = (bone: string) =>
    mates.has(bone) || props.fitting.pairs.some((pair) => pair[from.which].includes(bone))
  const order = props.fitting.parts.flatMap((part) => part[from.which])
  const free =
    order.slice(order.indexOf(from.bone) + 1).find((bone) => !paired(bone)) ?? order.find((bone) => !paired(bone))
  go(from.which, free ?? from.bone)
}
function twin(which: Which, bone: string) {
  const tree = which === 'source' ? props.source : props.target
  const other = mirror.value ? tree.twins[tree.names.indexOf(bone)] : -1
  return other >= 0 ? tree.names[other] : ''
}
defineExpose({ take, show })
</script>

<template>
  <div class="counts" role="group" aria-label="What is to be looked at">
    <span
      ><span class="mono">{{ now.paired }}</span> paired</span
    >
    <button
      v-for="kind in ['missing', 'doubtful', 'crossing'] as const"
      :key="kind"
      class="plain count"
      :class="{ [kind]: now[kind].length }"
      :disabled="!now[kind].length"
      @click="next(kind)"
    >
      <span aria-hidden="true">{{ { missing: '✕', doubtful: '◉', crossing: '⨯' }[kind] }}</span>
      <span class="mono">{{ now[kind].length }}</span> {{ kind }}
    </button>
    <span v-if="now.leftOut" class="quiet"
      ><span class="mono">{{ now.leftOut }}</span> left out</span
    >
  </div>
  <div class="bar">
    <div class="choice groups" role="group" aria-label="What of the body is shown">
      <button
        v-for="choice in groups"
        :key="choice.name"
        :aria-pressed="group === choice.name"
        :aria-label="choice.due ? `${choice.name}, ${choice.due} to look at` : choice.name"
        @click="group = choice.name"
      >
        {{ choice.name }}<sup v-if="choice.due" aria-hidden="true">{{ choice.due }}</sup>
      </button>
    </div>
  </div>
  <div class="bar">
    <PairFinder
      ref="finder"
      :fitting="fitting"
      :source="source"
      :target="target"
      :held="held"
      @choose="chosen"
      @cancel="weave?.focus(here ?? '')"
    />
    <label class="mirror" v-bind="withKey('Pairing', 'mirror')"
      ><input v-model="mirror" type="checkbox" /> Other side follows</label
    >
  </div>
  <div class="heads">
    <span class="quiet">source</span
    ><PairMenu :fitting="fitting" :character="character" @edit="emit('edit', $event)" /><span class="quiet">{{
      character
    }}</span>
  </div>
  <div class="scroll">
    <Weave
      ref="weave"
      v-model:here="here"
      :fitting="fitting"
      :source="source"
      :target="target"
      :group="group"
      :pointed="pointed"
      :held="held"
      :changed="changed"
      @point="emit('point', $event)"
      @take="take"
      @hold="hold"
      @connect="connect"
      @move="move"
      @gap="show"
      @menu="(event, which, bone) => menu(event, which, bone, keyHere)"
    />
  </div>
  <PairSaying
    :fitting="fitting"
    :pointed="pointed"
    :here="here"
    :held="held"
    :why="why"
    :source="source"
    @act="act"
    @moves="(key, moves) => emit('edit', { op: 'moves', keys: [key], moves })"
  />
</template>

<style scoped>
.counts {
  display: flex;
  gap: 4px 8px;
  align-items: baseline;
  padding: 6px 14px 2px;
  font-size: 13.5px;
  flex-wrap: wrap;
}
.count {
  min-height: 24px;
  border-radius: 3px;
  padding: 0 2px;
  white-space: nowrap;
}
.count:disabled {
  color: var(--quiet);
  cursor: default;
}
.count.missing,
.count.crossing {
  color: var(--wrong);
  text-decoration: underline;
  text-underline-offset: 3px;
}
.count.doubtful {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 3px 14px;
}
.groups {
  flex: 1;
}
.groups button {
  flex: 1;
  padding: 3px 4px;
  font-size: 13px;
  white-space: nowrap;
}
.groups sup {
  color: var(--wrong);
  font-size: 10px;
  margin-left: 2px;
}
.groups button[aria-pressed='true'] sup {
  color: inherit;
}
.mirror {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 13.5px;
  white-space: nowrap;
  min-height: 24px;
}
.heads {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 1px 16px;
  font-size: 12.5px;
  border-bottom: 1px solid var(--hairline);
}
.scroll {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  overflow-x: hidden;
}
</style>
