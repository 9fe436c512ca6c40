<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import DraftInput from '@/shared/fields/DraftInput.vue'
import { inUnits } from '@/shared/units'
import { useIntake, type IntakeRow } from '@/stores/intake'
import { useLibrary, type Plate } from '@/stores/library'
import { floorOf, heightOf, turnsFor, UNITS, UPS, type Ground } from './choices'
import { travel } from './clipFacts'
import Detected from './Detected.vue'
import RefineChoices from './RefineChoices.vue'
import RangePlate from './RangePlate.vue'

const props = defineProps<{ row: IntakeRow }>()
const emit = defineEmits<{ tick: [shift: boolean] }>()
const intake = useIntake()
const library = useLibrary()
const plate = ref<Plate | null>(null)

watch(
  () => `${props.row.id}.${props.row.revision}`,
  async () => (plate.value = await intake.plate(props.row).catch(() => null)),
  { immediate: true },
)
const file = computed(() => intake.file.get(props.row.file_id))
interface Found {
  unit?: string
  height?: number
  up?: string
  turned?: number
  facing?: number | null
  evidence?: Record<string, string>
  plan?: string
  joints?: number
  notes?: string[]
}
const found = computed(() => (file.value?.found ?? {}) as Found)
const clip = computed(
  () =>
    props.row.found as {
      calibration: number
      why_calibration: string
      still: string[]
      still_count: number
      root_still: boolean
      travel: number
      loop: boolean
      ground?: Ground
    },
)
/** A unit that has no name of its own is a proposal that wants a second look. */
const ownUnit = computed(() => !!found.value.unit && !UNITS.some((unit) => unit.value === found.value.unit))
const name = computed(() => intake.names[props.row.id] ?? '')
const many = computed(() => intake.ticked.length)
const length = computed(() => props.row.last - props.row.first + 1)

function filesOf(everywhere: boolean) {
  return everywhere && props.row.ticked ? intake.ticked.map((row) => row.file_id) : [props.row.file_id]
}
const rowsOf = (everywhere: boolean) =>
  everywhere && props.row.ticked ? intake.ticked.map((row) => row.id) : [props.row.id]

const facing = computed(() => {
  const angle = found.value.facing
  return angle === null || angle === undefined ? 'unknown' : `${angle.toFixed(0)}°`
})
const turns = computed(() => turnsFor(found.value.facing, found.value.turned ?? 0))
const calibration = computed(() => {
  const n = clip.value.calibration
  if (!n) return 'none'
  return `${n} ${n === 1 ? 'frame' : 'frames'}${props.row.first >= n ? ', left out' : ', kept'}`
})
const floor = computed(() => floorOf(clip.value.ground, props.row.floor))
const conflict = computed(() => {
  const row = props.row
  if (row.becomes_id) return `New version of “${library.clip(row.becomes_id)?.name ?? ''}”.`
  if (row.twin) return `The very same motion is there already: “${row.twin}”.`
  if (row.could_become.length)
    return `The library has “${library.clip(row.could_become[0])?.name ?? ''}” on this skeleton, with other motion.`
  const typed = row.name && library.clips.some((clip) => clip.name === row.name)
  return typed ? 'A clip of the library has this name; it will get a number.' : ''
})
/** Why a clip is taken for a part of an ensemble. */
const together = computed(() => {
  const own = file.value
  if (!own?.ensemble_id) return 'It was said to stand alone.'
  const others = [...intake.file.values()].filter(
    (other) => other.ensemble_id === own.ensemble_id && other.id !== own.id,
  )
  const named = others.map((other) => other.path.split('/').pop()).join(', ')
  const why = own.by_name
    ? `As long as ${named || 'another'}, called like it but for the performer, and never in the same place.`
    : `It came in one file with ${named || 'others'}.`
  return `${why} Once all are decided on, they become an ensemble.`
})
function rename(event: Event) {
  const text = (event.target as HTMLInputElement).value.trim()
  // What the rule gives by itself is not typed.
  void intake.change([props.row.id], { name: text === name.value && !props.row.name ? '' : text })
}
</script>

<template>
  <div class="item" :class="{ off: !row.ticked }">
    <input
      type="checkbox"
      :checked="row.ticked"
      :aria-label="`Take in ${name || row.clip}`"
      @click="emit('tick', ($event as MouseEvent).shiftKey)"
    />
    <div class="picture">
      <RangePlate
        :plate="plate"
        :name="name || row.clip"
        :frames="row.frames"
        :fps="row.fps"
        :first="row.first"
        :last="row.last"
        :tell="(first, last) => intake.change([row.id], { first, last })"
      />
    </div>
    <div class="about">
      <DraftInput
        class="name"
        :value="row.name || name || row.facts.original"
        :class="{ typed: row.name }"
        :aria-label="`Name of ${row.clip}`"
        @change="rename"
      />
      <span class="mono quiet"
        >{{ length }} f · {{ ((length - 1) / row.fps).toFixed(2) }} s · {{ +row.fps.toFixed(3) }} fps</span
      >
      <span class="mono quiet">{{ travel(clip) }}{{ clip.loop ? ' · loops' : '' }}</span>
      <span class="quiet path" :title="file?.path"
        >{{ file?.path }}<template v-if="file?.source_name">, from the source “{{ file.source_name }}”</template></span
      >
    </div>
    <div class="facts">
      <Detected
        label="unit"
        :value="found.unit ?? '…'"
        :evidence="found.evidence?.unit ?? ''"
        :told="!!(file?.told.unit || file?.told.height)"
        :doubt="ownUnit && !file?.told.height"
        :choices="UNITS"
        :length="heightOf(found.height)"
        :all="many"
        @choose="(unit, all) => intake.tell(filesOf(all), { unit })"
        @say="(height, all) => intake.tell(filesOf(all), { height })"
      />
      <Detected
        label="up"
        :value="found.up ?? '…'"
        :evidence="found.evidence?.up ?? ''"
        :told="!!file?.told.up"
        :choices="UPS"
        :all="many"
        @choose="(up, all) => intake.tell(filesOf(all), { up })"
      />
      <Detected
        label="faces"
        :value="facing"
        :evidence="found.evidence?.facing ?? ''"
        :told="!!file?.told.turned"
        :doubt="facing === 'unknown'"
        :choices="turns"
        :all="many"
        @choose="(by, all) => intake.tell(filesOf(all), { turned: Number(by) })"
      />
      <Detected
        label="floor"
        :value="floor.value"
        :evidence="floor.why"
        :told="row.floor !== null"
        :doubt="floor.doubt"
        :choices="floor.choices"
        :all="many"
        @choose="(at, all) => intake.change(rowsOf(all), { floor: at === 'measured' ? 'measured' : Number(at) })"
      />
      <Detected
        v-if="found.evidence?.rest"
        label="rest"
        value="from the motion"
        :evidence="`${found.evidence.rest}.`"
      />
      <Detected
        label="calibration"
        :value="calibration"
        :evidence="clip.why_calibration || 'No leading frames hold a pose before a jump.'"
        :choices="
          clip.calibration
            ? [
                { value: 'proposed', text: 'leave them out' },
                { value: 'whole', text: 'keep the whole take' },
              ]
            : [{ value: 'whole', text: 'the whole take' }]
        "
        :all="many"
        @choose="(range, all) => intake.change(rowsOf(all), { range: range as 'proposed' | 'whole' })"
      />
      <Detected
        label="skeleton"
        :value="`${row.skeleton}${row.known ? '' : ', new'}`"
        :evidence="`${found.joints} bones${found.plan ? `, ${found.plan}` : ', no body plan recognised'}. ${row.known ? 'The library has this very skeleton.' : 'The library does not have it yet; clips on it will be kept together.'}`"
      />
      <Detected
        v-if="file?.ensemble || file?.told.alone"
        label="together"
        :value="file.ensemble ? `${file.performer} in “${file.ensemble}”` : 'by itself'"
        :evidence="together"
        :told="!!file.told.alone"
        :choices="[
          { value: 'together', text: 'put them together' },
          { value: 'alone', text: 'a clip by itself' },
        ]"
        @choose="(how) => intake.tell([row.file_id], { alone: how === 'alone' })"
      />
      <RefineChoices v-if="!row.becomes_id" :row="row" />
      <Detected
        v-if="clip.still_count"
        label="still"
        :value="`${clip.still_count} ${clip.still_count === 1 ? 'bone' : 'bones'}`"
        :evidence="`These never move: ${clip.still.slice(0, 14).join(', ')}${clip.still_count > 14 ? ' and more' : ''}.`"
      />
      <Detected
        v-if="clip.root_still"
        label="root"
        value="without motion"
        doubt
        evidence="The body never leaves its place: it was recorded or exported in place, or its root has no keys."
      />
      <p v-if="conflict" class="conflict">
        {{ conflict }}
        <button v-if="row.becomes_id" class="plain word" @click="intake.change([row.id], { becomes_id: null })">
          Bring it in as its own
        </button>
        <button
          v-else-if="row.could_become.length && !row.twin"
          class="plain word"
          @click="intake.change([row.id], { becomes_id: row.could_become[0] })"
        >
          Make it a new version of that
        </button>
        <button
          v-else-if="row.twin && !row.ticked"
          class="plain word"
          @click="intake.change([row.id], { ticked: true })"
        >
          Bring it in all the same
        </button>
        <button v-else-if="row.twin" class="plain word" @click="intake.change([row.id], { ticked: false })">
          Leave it out
        </button>
      </p>
      <p v-for="note in (found.notes ?? []).slice(0, 1)" :key="note" class="note quiet">{{ inUnits(note) }}</p>
    </div>
  </div>
</template>

<style scoped>
.item {
  display: grid;
  grid-template-columns: 26px minmax(250px, 350px) 205px minmax(0, 1fr);
  gap: 14px;
  align-items: center;
  height: 124px;
  padding: 6px 20px;
  border-bottom: 1px solid var(--hairline);
  background: var(--panel);
}
.item.off {
  background: var(--paper);
}
.item.off .picture,
.item.off .about {
  opacity: 0.55;
}
.item > input {
  width: 18px;
  height: 18px;
  margin: 3px;
}
.picture {
  height: 112px;
  padding: 0 4px;
}
.about {
  display: grid;
  gap: 2px;
  min-width: 0;
  font-size: 12.5px;
}
.name {
  font: inherit;
  font-size: 15px;
  font-weight: 500;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 2px 5px;
  margin-left: -6px;
  min-width: 0;
}
.name:hover,
.name:focus {
  border-color: var(--hairline);
  background: var(--panel);
}
.name.typed {
  font-style: italic;
}
.path {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  direction: rtl;
  text-align: left;
}
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-content: center;
  min-width: 0;
}
.conflict,
.note {
  flex-basis: 100%;
  font-size: 13px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.conflict {
  white-space: normal;
  border-left: 3px solid var(--ink);
  padding-left: 8px;
}
</style>
