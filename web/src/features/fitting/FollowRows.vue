<script setup lang="ts">
import { computed, ref } from 'vue'

import ShareSlider from './ShareSlider.vue'
import type { Change, Follow, Settings } from './useSettling'
import type { Fitting } from './weave'

/** How much limbs, parts and bones follow, an offset that stays through the clip, and turns along arms and thighs. */
const props = defineProps<{ settings: Settings; fitting: Fitting; bones: string[]; shifting: string[] }>()
const emit = defineEmits<{ try: [change: Change]; keep: [change: Change] }>()
const chosen = ref<string | null>(null)
const USUAL: Follow = { turn: 1, shift: 1, offset: [0, 0, 0] }
const choices = computed(() => {
  const limbs = [...new Set(props.fitting.parts.map((part) => part.limb))].filter((limb) => limb !== 'root')
  const parts = props.fitting.pairs
    .map((pair) => pair.part)
    .filter((part): part is string => part !== null && !limbs.includes(part))
  return [...limbs, ...parts, ...props.bones.filter((bone) => !limbs.includes(bone) && !parts.includes(bone))]
})
const own = computed(() => (chosen.value ? { ...USUAL, ...props.settings.follow[chosen.value] } : USUAL))
const followChange = (change: Partial<Follow>): Change => ({ follow: { [chosen.value!]: { ...own.value, ...change } } })
/** Whether something of the choice moves against its parent in this clip, as a slider or a jaw may. */
const moves = computed(
  () =>
    props.shifting.includes(chosen.value ?? '') ||
    props.fitting.pairs.some(
      (pair) => pair.part === chosen.value && pair.target.some((bone) => props.shifting.includes(bone)),
    ),
)
const keep = (change: Partial<Follow>) => emit('keep', followChange(change))
function offset(axis: number, value: number | null): Partial<Follow> {
  const next = [...own.value.offset] as [number, number, number]
  next[axis] = value ?? 0
  return { offset: next }
}
/** The side of a limb that reaches for something, if the choice is one. */
const reaches = computed(
  () =>
    !!chosen.value &&
    /(leg|arm|wing)$/.test(chosen.value) &&
    props.fitting.parts.some((part) => part.limb === chosen.value),
)
const hand = computed(() => reaches.value && /arm$/.test(chosen.value!))
function place(axis: number, value: number | null): Change {
  const next = [...(props.settings.moved[chosen.value!] ?? [0, 0, 0])]
  next[axis] = value ?? 0
  return { moved: { [chosen.value!]: next.some((share) => share) ? next : null } }
}
const PLACES = ['Hand to the left', 'Hand up', 'Hand ahead'] as const
const AXES = ['Pitch ahead', 'Turn left', 'Lean right'] as const
const words = (follow: Follow) => {
  const parts = []
  if (follow.turn !== 1) parts.push(`turns ${Math.round(follow.turn * 100)} %`)
  if (follow.shift !== 1) parts.push(`shifts ${Math.round(follow.shift * 100)} %`)
  if (follow.offset.some((value) => value))
    parts.push(`offset ${follow.offset.map((value) => `${+value.toFixed(1)}°`).join(' ')}`)
  return parts.join(', ')
}
</script>

<template>
  <section data-control="follow">
    <h2>Follow</h2>
    <ul v-if="Object.keys(settings.follow).length" class="set">
      <li v-for="(follow, key) in settings.follow" :key="key">
        <button class="plain word" @click="chosen = String(key)">{{ key }}</button>
        <span class="quiet">{{ words(follow) }}</span>
        <button
          class="plain word"
          :aria-label="`${key} plainly follows`"
          @click="emit('keep', { follow: { [key]: null } })"
        >
          remove
        </button>
      </li>
    </ul>
    <v-autocomplete v-model="chosen" :items="choices" label="A limb, a part or a bone" clearable />
    <template v-if="chosen">
      <ShareSlider
        label="Turns"
        :value="own.turn"
        :most="2"
        @try="emit('try', followChange({ turn: $event }))"
        @keep="keep({ turn: $event ?? 1 })"
      />
      <ShareSlider
        v-if="moves"
        label="Shifts"
        :value="own.shift"
        :most="2"
        @try="emit('try', followChange({ shift: $event }))"
        @keep="keep({ shift: $event ?? 1 })"
      />
      <ShareSlider
        v-for="(name, axis) in AXES"
        :key="name"
        :label="name"
        :value="own.offset[axis]"
        :least="-90"
        :most="90"
        :step="1"
        :scale="1"
        unit="°"
        @try="emit('try', followChange(offset(axis, $event)))"
        @keep="keep(offset(axis, $event))"
      />
      <ShareSlider
        v-if="reaches"
        :label="hand ? 'Elbow swung' : 'Bend swung'"
        :value="settings.bends[chosen] ?? 0"
        :least="-90"
        :most="90"
        :step="1"
        :scale="1"
        unit="°"
        @try="emit('try', { bends: { [chosen]: $event } })"
        @keep="emit('keep', { bends: { [chosen]: $event || null } })"
      />
      <template v-if="hand">
        <ShareSlider
          v-for="(name, axis) in PLACES"
          :key="name"
          :label="name"
          :value="settings.moved[chosen]?.[axis] ?? 0"
          :least="-0.3"
          :most="0.3"
          :step="0.005"
          :scale="100"
          unit="cm"
          @try="emit('try', place(axis, $event))"
          @keep="emit('keep', place(axis, $event))"
        />
      </template>
    </template>
    <ShareSlider
      label="Bones for twist"
      :value="settings.twist"
      @try="emit('try', { twist: $event })"
      @keep="emit('keep', { twist: $event })"
    />
    <ShareSlider
      label="Along the forearm"
      :value="settings.forearm"
      @try="emit('try', { forearm: $event })"
      @keep="emit('keep', { forearm: $event })"
    />
    <ShareSlider
      label="Along the thigh"
      :value="settings.thigh"
      @try="emit('try', { thigh: $event })"
      @keep="emit('keep', { thigh: $event })"
    />
  </section>
</template>

<style scoped>
.set {
  list-style: none;
  margin: 0;
  padding: 0;
}
.set li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.set .quiet {
  flex: 1;
}
</style>
