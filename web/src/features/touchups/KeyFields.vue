<script setup lang="ts">
import { computed } from 'vue'

import NumberBox from '@/shared/fields/NumberBox.vue'
import type { NumberField } from '@/shared/fields/numberField'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { frameNumber } from '@/shared/units'
import { axisNames, keyAt, unitOf, WEIGHT, WEIGHT_FIELD, weightKeys, type KeyPath } from './touchups'
import type { TouchUps } from './useTouchUps'

/** The chosen key in numbers, and how the curve goes on from it; what is done with several at once. */
const props = defineProps<{ touchups: TouchUps; frame: number }>()
const { layer, keys, edit, ofKeys, attempt } = props.touchups
const single = computed(() => {
  const path: KeyPath | undefined = keys.value.length === 1 ? keys.value[0] : undefined
  const key = path && keyAt(layer.value, path)
  return key ? { key, touchup: layer.value!.touchups[path[0]], number: path[0] } : null
})
const weight = computed(() => {
  const path: KeyPath | undefined = keys.value.length === 1 ? keys.value[0] : undefined
  return path?.[0] === WEIGHT ? weightKeys(layer.value)[path[1]] : undefined
})
const mirrors = computed(() => keys.value.some(([n]) => n !== WEIGHT))
const about = computed(() => unitOf(single.value?.touchup.channel ?? 'rotation'))
const field = (n: number, turn: boolean): NumberField => ({
  path: `${turn ? 'turn' : 'value'} ${n}`,
  label: turn ? `turn ${'xyz'[n]}` : axisNames(single.value!.touchup)[n],
  type: 'number',
  least: turn || about.value.unit === '°' ? -720 : -500,
  most: turn || about.value.unit === '°' ? 720 : 500,
  step: turn || about.value.unit === '°' ? 1 : 0.5,
  scale: turn ? 1 : about.value.scale,
  unit: turn ? '°' : about.value.unit,
})
function wanted(n: number, turn: boolean, number: number | null) {
  const { key, touchup } = single.value!
  const values = [...(turn ? key.turn : key.value)] as [number, number, number]
  values[n] = number ?? 0
  return {
    op: 'key' as const,
    bone: touchup.bone,
    channel: touchup.channel,
    against: touchup.against,
    frame: Math.round(key.frame ?? 0),
    [turn ? 'turn' : 'value']: values,
  }
}
const WAYS = { smooth: 'smoothly', linear: 'straight', held: 'held until it' } as const
const whereOf = (frame: number | null) =>
  frame === null ? 'not in the clip' : `key at frame ${frameNumber(Math.round(frame))}`
const many = computed(() => `${keys.value.length} ${keys.value.length === 1 ? 'key' : 'keys'}`)
const ease = (end: 'ease_in' | 'ease_out'): NumberField => ({
  path: end,
  label: end === 'ease_in' ? 'comes over' : 'goes over',
  type: 'number',
  least: 0,
  most: 60,
  step: 0.05,
  unit: 's',
  empty: 'kept',
})
function setEase(end: 'ease_in' | 'ease_out', seconds: number | null) {
  const { touchup, number } = single.value!
  void edit({ op: 'ease', touchup: number, ease_in: touchup.ease_in, ease_out: touchup.ease_out, [end]: seconds })
}
</script>

<template>
  <div v-if="keys.length" class="keys" role="group" aria-label="Chosen keys">
    <div class="line">
      <b>{{ single ? single.touchup.label : weight ? 'weight' : many }}</b>
      <span v-if="single ?? weight" class="quiet">{{ whereOf((single?.key ?? weight)!.frame) }}</span>
      <span class="space"></span>
      <button
        class="plain word"
        v-bind="withKey('Touch up', 'copy', 'Set them once more, from the playhead on')"
        @click="ofKeys({ op: 'copy', frame })"
      >
        Copy to {{ frameNumber(frame) }}
      </button>
      <button
        v-if="mirrors"
        class="plain word"
        v-bind="withKey('Touch up', 'mirror', 'To the other side as well')"
        @click="ofKeys({ op: 'mirror', frame })"
      >
        Mirror
      </button>
      <button class="plain word" v-bind="withKey('Touch up', 'remove', 'Remove')" @click="ofKeys({ op: 'delete' })">
        Remove
      </button>
    </div>
    <div v-if="weight && weight.frame !== null" class="field">
      <NumberBox
        :field="WEIGHT_FIELD"
        :of="layer?.name ?? ''"
        :value="weight.value"
        @keep="edit({ op: 'weight', frame: Math.round(weight.frame!), weight: $event ?? 1 })"
      />
    </div>
    <template v-if="single && single.key.frame !== null">
      <div class="fields">
        <span v-for="n in 3" :key="n" class="field">
          <NumberBox
            :field="field(n - 1, false)"
            :of="single.touchup.label"
            :value="single.key.value[n - 1]"
            @try="void attempt(wanted(n - 1, false, $event))"
            @keep="edit(wanted(n - 1, false, $event))"
          />
        </span>
      </div>
      <div v-if="single.touchup.channel === 'place'" class="fields">
        <span v-for="n in 3" :key="n" class="field">
          <NumberBox
            :field="field(n - 1, true)"
            :of="`turn of the ${single.touchup.label}`"
            :value="single.key.turn[n - 1]"
            @try="void attempt(wanted(n - 1, true, $event))"
            @keep="edit(wanted(n - 1, true, $event))"
          />
        </span>
      </div>
    </template>
    <div class="line">
      <label v-if="single" class="quiet">
        to the next
        <select
          :value="single.key.to_next"
          aria-label="How it goes on to the next key"
          @change="ofKeys({ op: 'interpolate', to_next: ($event.target as HTMLSelectElement).value as never })"
        >
          <option v-for="(word, way) in WAYS" :key="way" :value="way">{{ word }}</option>
        </select>
      </label>
      <template v-if="single">
        <span v-for="end in ['ease_in', 'ease_out'] as const" :key="end" class="field">
          <NumberBox
            :field="ease(end)"
            :of="single.touchup.label"
            :value="single.touchup[end]"
            @keep="setEase(end, $event)"
          />
        </span>
      </template>
    </div>
  </div>
</template>

<style scoped>
.keys {
  border-top: 1px solid var(--hairline);
  padding: 8px 14px;
  display: grid;
  gap: 5px;
  font-size: 13.5px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  min-height: 26px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
}
.field {
  display: flex;
  gap: 5px;
  align-items: center;
}
</style>
