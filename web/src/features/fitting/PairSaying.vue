<script setup lang="ts">
import { computed } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import type { Bones } from '@/stores/cast'
import type { Follows } from './useFitting'
import type { PairAct } from './useWeaveMenu'
import { SURE, type Fitting, type Which } from './weave'

/**
 * What is pointed at, or where the keys are, in words: names, part, reasons, why a bone follows or not, and what can
 * be done.
 */
const props = defineProps<{
  fitting: Fitting
  pointed: string[]
  here: string | null
  held: { which: Which; bone: string } | null
  why: Map<string, Follows>
  source: Bones
}>()
const emit = defineEmits<{
  act: [what: PairAct]
  moves: [key: string, moves: boolean]
}>()

const shown = computed(() => {
  const id = props.pointed[0] ?? props.here
  if (!id) return null
  const space = id.indexOf(' ')
  const which = id.slice(0, space)
  const bone = which === 'source' || which === 'target' ? id.slice(space + 1) : ''
  const known = bone && (which === 'target' ? props.why.has(bone) : props.source.names.includes(bone))
  const pair = known
    ? props.fitting.pairs.find((row) => row[which as Which].includes(bone))
    : props.fitting.pairs.find((row) => row.key === id)
  const part = props.fitting.parts.find(
    (row) => row.name === (pair ? pair.part : known ? '' : id) || (known && row[which as Which].includes(bone)),
  )
  const lines: string[] = []
  if (pair?.crosses) lines.push(pair.crosses)
  const bones = known && which === 'target' ? [bone] : (pair?.target ?? [])
  for (const name of bones.slice(0, 2)) {
    const row = props.why.get(name)
    if (row) lines.push(row.text)
  }
  if (!bones.length && known && which === 'source') lines.push(pair ? '' : `Nothing follows ${bone}.`)
  if (!pair && part && !known)
    lines.push(
      props.fitting.left_out.includes(part.name)
        ? 'Left out on purpose.'
        : part.required
          ? 'The body plan requires it, and it has no pair.'
          : 'It has no pair.',
    )
  lines.push(...(pair?.reasons ?? []))
  const title = pair ? `${pair.source.join(', ') || '—'} → ${pair.target.join(', ')}` : known ? bone : ''
  const state = !pair
    ? ''
    : pair.crosses
      ? 'crossing'
      : pair.confirmed
        ? 'confirmed'
        : pair.confidence < SURE
          ? `doubtful, ${Math.round(pair.confidence * 100)} of 100`
          : `proposed, ${Math.round(pair.confidence * 100)} of 100`
  return {
    title,
    part: pair?.part ?? part?.name ?? 'outside the body plan',
    state,
    lines: lines.filter(Boolean),
    pair,
    key: pair?.key ?? part?.name ?? '',
  }
})
const out = computed(() => !!shown.value && props.fitting.left_out.includes(shown.value.key))
</script>

<template>
  <div class="saying" role="status">
    <p v-if="held" class="held">
      <span class="mono">{{ held.bone }}</span> is taken: click its counterpart on the
      {{ held.which === 'source' ? 'character' : 'source' }}, or type its name. Esc lets go.
    </p>
    <template v-if="shown">
      <p class="title">
        <strong>{{ shown.part }}</strong> <span class="mono">{{ shown.title }}</span>
        <span class="quiet">{{ shown.state }}</span>
      </p>
      <p class="lines quiet">{{ shown.lines.join(' · ') }}</p>
    </template>
    <template v-else-if="!held">
      <p>{{ fitting.how[0]?.toUpperCase() }}{{ fitting.how.slice(1) }}.</p>
      <p class="quiet">
        Click a bone, then its counterpart; or drag from one to the other. With Shift a bone joins those that the pair
        has.
      </p>
    </template>
    <div class="acts">
      <button
        class="plain word"
        :disabled="!shown?.pair || shown.pair.confirmed"
        v-bind="withKey('Pairing', 'confirm')"
        @click="emit('act', 'confirm')"
      >
        Confirm
      </button>
      <button
        class="plain word"
        :disabled="!shown?.pair"
        v-bind="withKey('Pairing', 'confirmLimb')"
        @click="emit('act', 'confirm limb')"
      >
        Confirm limb
      </button>
      <button
        class="plain word"
        :disabled="!shown?.pair"
        v-bind="withKey('Pairing', 'remove')"
        @click="emit('act', 'remove')"
      >
        Remove
      </button>
      <button
        class="plain word"
        :disabled="!shown?.key || shown.key.startsWith('+')"
        v-bind="withKey('Pairing', 'leaveOut')"
        @click="emit('act', 'leave out')"
      >
        {{ out ? 'Take back in' : 'Leave out' }}
      </button>
      <button
        class="plain word"
        :disabled="!shown?.pair?.part"
        v-bind="withKey('Pairing', 'swap')"
        @click="emit('act', 'swap')"
      >
        Swap sides
      </button>
      <label v-if="shown?.pair && !shown.pair.part" class="moves"
        ><input
          type="checkbox"
          :checked="shown.pair.moves"
          @change="emit('moves', shown.pair.key, ($event.target as HTMLInputElement).checked)"
        />
        with translation</label
      >
    </div>
  </div>
</template>

<style scoped>
.saying {
  border-top: 1px solid var(--hairline);
  padding: 7px 14px 8px;
  font-size: 13.5px;
  min-height: 104px;
  display: flex;
  flex-direction: column;
  gap: 2px;
}
.title {
  line-height: 1.35;
  overflow-wrap: anywhere;
}
.lines {
  line-height: 1.35;
  max-height: 4.1em;
  overflow-y: auto;
  flex: 1;
}
.held {
  color: var(--accent);
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  margin-top: auto;
}
.acts .word {
  font-size: 13px;
}
.moves {
  display: flex;
  gap: 5px;
  align-items: center;
  font-size: 13px;
}
</style>
