<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '@/api/client'
import type { Bones } from '@/stores/cast'

/** The pairs of a fitting in the order of the body plan, gaps of required parts included. Bones can be given by hand. */
const props = defineProps<{ fitting: Schemas['FittingOut']; source: Bones; target: Bones; pointed: string | null; busy: boolean }>()
const emit = defineEmits<{ point: [part: string | null]; set: [part: string, source: string[], target: string[]] }>()
const open = ref<string | null>(null)

interface Row {
  part: string
  limb: string
  source: string[]
  target: string[]
  confidence: number
  reasons: string[]
  gap: string
  many: boolean
  plan: boolean
}

const rows = computed<Row[]>(() => {
  const pairs = new Map(props.fitting.pairs.filter((pair) => pair.part).map((pair) => [pair.part as string, pair]))
  const missing = new Map(props.fitting.missing.map((row) => [row.part, row.side]))
  const lacks: Record<string, string> = { source: 'no bone on the source', target: 'no bone on the character', both: 'no bone on either side' }
  const planned = props.fitting.parts.flatMap((part): Row[] => {
    const pair = pairs.get(part.name)
    const gap = missing.get(part.name)
    // A part that neither side has is left out, unless the plan requires it.
    const possible = props.source.parts.includes(part.name) || props.target.parts.includes(part.name)
    if (!pair && !gap && !possible) return []
    return [
      {
        part: part.name,
        limb: part.limb,
        source: pair?.source ?? [],
        target: pair?.target ?? [],
        confidence: pair?.confidence ?? 0,
        reasons: pair?.reasons ?? [],
        gap: pair ? '' : (lacks[gap ?? ''] ?? 'not paired'),
        many: part.many,
        plan: true,
      },
    ]
  })
  const others = props.fitting.pairs
    .filter((pair) => !pair.part)
    .map((pair) => ({ ...pair, part: pair.source[0], limb: 'same names', gap: '', many: false, plan: false }))
  return [...planned, ...others]
})
const limbs = computed(() => {
  const out = new Map<string, Row[]>()
  for (const row of rows.value) out.set(row.limb, [...(out.get(row.limb) ?? []), row])
  return out
})
const gaps = computed(() => props.fitting.missing)
/** Bone names without the namespace that all of one side share. */
function shortened(names: string[]) {
  const heads = names.map((name) => name.slice(0, name.indexOf(':') + 1))
  const shared = heads[0] && heads.every((head) => head === heads[0]) ? heads[0].length : 0
  return (list: string[]) => list.map((name) => name.slice(shared)).join(', ')
}
const sourceNames = computed(() => shortened(props.source.names))
const targetNames = computed(() => shortened(props.target.names))
const side = (part: string) => (part.startsWith('left ') ? 'left' : part.startsWith('right ') ? 'right' : '')

function mark(row: Row) {
  if (row.gap) return { sign: '✕', word: row.gap, kind: 'wrong' }
  if (row.confidence < 0.6) return { sign: '◉', word: `doubtful, ${Math.round(row.confidence * 100)} of 100`, kind: 'look' }
  return { sign: '✓', word: `sure, ${Math.round(row.confidence * 100)} of 100`, kind: 'good' }
}
function set(row: Row, which: 'source' | 'target', value: string | string[] | null) {
  const names = value === null ? [] : [value].flat()
  emit('set', row.part, which === 'source' ? names : row.source, which === 'target' ? names : row.target)
}
</script>

<template>
  <div class="pairs" @mouseleave="emit('point', null)">
    <p v-if="gaps.length" class="gaps">
      <span class="cross" aria-hidden="true">✕</span> {{ gaps.length === 1 ? 'One required part has' : `${gaps.length} required parts have` }} no pair: {{ gaps.map((gap) => gap.part).join(', ') }}.
    </p>
    <p v-else class="quiet gaps">Every required part is paired.</p>
    <section v-for="[limb, list] in limbs" :key="limb">
      <h2 :class="side(limb)">{{ limb }}</h2>
      <div v-for="row in list" :key="row.part" class="pair" :class="{ pointed: pointed === row.part, gap: row.gap }" @mouseenter="emit('point', row.part)">
        <button class="plain line" :aria-expanded="open === row.part" @focus="emit('point', row.part)" @click="open = open === row.part ? null : row.part">
          <span :class="['sign', mark(row).kind]" :title="mark(row).word">{{ mark(row).sign }}</span>
          <span class="part">{{ row.plan && side(row.part) ? row.part.slice(row.part.indexOf(' ') + 1) : row.part }}</span>
          <span class="mono bones" :title="row.source.join(', ')">{{ sourceNames(row.source) || '—' }}</span>
          <span class="thread" :class="{ broken: row.confidence < 0.6, none: row.gap }" aria-hidden="true"></span>
          <span class="mono bones" :title="row.target.join(', ')">{{ targetNames(row.target) || (row.gap ? 'nothing' : '—') }}</span>
        </button>
        <div v-if="open === row.part" class="more">
          <p v-if="row.gap" class="quiet">{{ row.gap[0].toUpperCase() + row.gap.slice(1) }}.</p>
          <p v-for="reason in row.reasons" :key="reason" class="quiet">{{ reason }}</p>
          <template v-if="row.plan">
            <v-autocomplete
              label="Source bone"
              :items="source.names"
              :model-value="row.many ? row.source : (row.source[0] ?? null)"
              :multiple="row.many"
              :disabled="busy"
              clearable
              @update:model-value="set(row, 'source', $event)"
            />
            <v-autocomplete
              label="Character’s bone"
              :items="target.names"
              :model-value="row.many ? row.target : (row.target[0] ?? null)"
              :multiple="row.many"
              :disabled="busy"
              clearable
              @update:model-value="set(row, 'target', $event)"
            />
          </template>
        </div>
      </div>
    </section>
  </div>
</template>

<style scoped>
.pairs { padding-bottom: 16px; }
.gaps { padding: 8px 14px; font-size: 14px; }
.cross, .sign.wrong { color: var(--wrong); }
section h2 { font-size: 13px; font-weight: 500; color: var(--quiet); padding: 8px 14px 2px; }
.left { color: var(--left) !important; }
.right { color: var(--right) !important; }
.pair { border-left: 2px solid transparent; }
.pair.pointed { background: rgb(var(--v-theme-surface-variant)); border-left-color: var(--accent); }
.line { display: grid; grid-template-columns: 16px 76px minmax(0, 1fr) 26px minmax(0, 1fr); align-items: center; gap: 6px; width: 100%; padding: 3px 12px 3px 10px; min-height: 26px; font-size: 13.5px; }
.bones { font-size: 12px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.gap .bones { color: var(--wrong); }
.sign { font-size: 12px; text-align: center; }
.sign.good { color: var(--quiet); }
.thread { height: 0; border-top: 1.5px solid currentColor; opacity: 0.75; }
.thread.broken { border-top-style: dashed; }
.thread.none { border-top: 0; }
.more { padding: 4px 14px 10px 34px; display: grid; gap: 7px; font-size: 13.5px; }
</style>
