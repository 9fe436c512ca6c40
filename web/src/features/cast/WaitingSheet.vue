<script setup lang="ts">
import { computed } from 'vue'

import { heightOf, turnsFor, UNITS, UPS } from '@/features/library/choices'
import Detected from '@/features/library/Detected.vue'
import DraftInput from '@/shared/fields/DraftInput.vue'
import { inUnits, lengthText } from '@/shared/units'
import { useCast } from '@/stores/cast'
import { useIntake, type IntakeFile } from '@/stores/intake'
import { waitingName, type Sheet } from './sheet'
import SheetFacts from './SheetFacts.vue'

/**
 * A character that waits for a decision: what was detected, each with a way to say otherwise, seen on the figure at
 * once.
 */
const props = defineProps<{ file: IntakeFile; busy: boolean }>()
const emit = defineEmits<{ accepted: []; close: [] }>()
const intake = useIntake()
const cast = useCast()
const found = computed(() => props.file.found as unknown as Sheet)
const name = computed(() => waitingName(props.file))
const same = computed(() => cast.present.find((character) => character.name === name.value))

const turns = computed(() => turnsFor(found.value.facing, found.value.turned ?? 0))
/** How tall it is beside those who are here. */
const beside = computed(() => {
  const h = found.value.height
  const others = [...cast.present].sort((a, b) => Math.abs(a.height - h) - Math.abs(b.height - h))
  if (!others.length) return ''
  const share = h / others[0].height
  if (Math.abs(share - 1) < 0.03) return `As tall as ${others[0].name}.`
  return share > 12 || share < 1 / 12
    ? `${share > 1 ? share.toFixed(0) : (1 / share).toFixed(0)} times ${share > 1 ? 'as tall as' : 'smaller than'} ${others[0].name}: is the unit right?`
    : `${share.toFixed(2)} times as tall as ${others[0].name}.`
})
const apart = computed(() => found.value.apart > 0.0005 || found.value.apart_degrees > 0.5)
async function accept() {
  await intake.accept([props.file.id])
  emit('accepted')
}
</script>

<template>
  <div class="head">
    <DraftInput
      class="name"
      :value="name"
      aria-label="Name of the character"
      @change="intake.changeFile(file.id, { name: ($event.target as HTMLInputElement).value })"
    />
    <button class="plain word" @click="emit('close')">Close</button>
  </div>
  <p class="quiet">It waits for your decision; nothing is kept yet.</p>
  <template v-if="file.state === 'refused'"
    ><p class="wrong">{{ inUnits(file.sentence) }}</p></template
  >
  <template v-else-if="file.state === 'ready'">
    <div class="detected">
      <Detected
        label="unit"
        :value="found.unit"
        :evidence="found.evidence.unit"
        :told="!!(file.told.unit || file.told.height)"
        :choices="UNITS"
        :length="heightOf(found.height)"
        @choose="(unit) => intake.tell([file.id], { unit })"
        @say="(height) => intake.tell([file.id], { height })"
      />
      <Detected
        label="up"
        :value="found.up"
        :evidence="found.evidence.up"
        :told="!!file.told.up"
        :choices="UPS"
        @choose="(up) => intake.tell([file.id], { up })"
      />
      <Detected
        label="faces"
        :value="found.facing === null ? 'unknown' : `${found.facing.toFixed(0)}°`"
        :evidence="found.evidence.facing"
        :told="!!file.told.turned"
        :doubt="found.facing === null"
        :choices="turns"
        @choose="(by) => intake.tell([file.id], { turned: Number(by) })"
      />
      <Detected
        v-if="apart || file.told.bound"
        label="rests as"
        :value="file.told.bound ? 'bound' : 'its nodes'"
        :doubt="!file.told.bound"
        :evidence="
          file.told.bound
            ? 'The figure rests in the pose in which its mesh was bound.'
            : `The pose in which the mesh was bound differs from the one its nodes rest in, by up to ${lengthText(found.apart)} and ${found.apart_degrees.toFixed(0)}°.`
        "
        :choices="[
          { value: 'bound', text: 'the bind pose' },
          { value: 'nodes', text: 'the pose of the nodes' },
        ]"
        @choose="(how) => intake.tell([file.id], { bound: how === 'bound' })"
      />
    </div>
    <p>
      <span class="mono">{{ lengthText(found.height) }}</span> tall. {{ beside }}
    </p>
    <SheetFacts :sheet="found" />
    <label v-if="same" class="becomes"
      ><input
        type="checkbox"
        :checked="file.becomes_id === same.id"
        @change="intake.changeFile(file.id, { becomes_id: file.becomes_id ? null : same.id })"
      />
      It is a new version of {{ same.name }}: fittings, tags and notes stay</label
    >
  </template>
  <p v-else class="quiet" role="status">{{ file.state === 'accepting' ? 'Being taken in …' : 'Being read …' }}</p>
  <div class="foot">
    <v-btn class="doing" :disabled="busy || file.state !== 'ready'" @click="accept">Accept {{ name }}</v-btn>
    <v-btn @click="(intake.dismiss([file.id]), emit('close'))">Dismiss</v-btn>
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
.detected {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.wrong {
  color: var(--wrong);
}
.becomes {
  display: flex;
  gap: 8px;
  align-items: baseline;
  font-size: 14px;
}
.foot {
  display: flex;
  gap: 10px;
  margin-top: 6px;
}
</style>
