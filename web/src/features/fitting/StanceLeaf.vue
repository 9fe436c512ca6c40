<script setup lang="ts">
import { computed, ref } from 'vue'

import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import type { Bones } from '@/stores/cast'
import StanceBone from './StanceBone.vue'
import StanceMeasures from './StanceMeasures.vue'
import StanceSide from './StanceSide.vue'
import { worstFirst, type StanceRow, type Wanted } from './stances'
import type { Stances } from './useStances'
import type { Fitting, Which } from './weave'

/** The second leaf: both bodies are brought to the same stance, by whole, by limb, or bone by bone. */
const props = defineProps<{
  fitting: Fitting
  stances: Stances
  trees: Record<Which, Bones>
  character: string
  clip?: { id: number; name: string }
  frame: number
  frames: number
  pointed: string | null
}>()
const mirror = defineModel<boolean>('mirror', { required: true })
const emit = defineEmits<{ point: [part: string | null]; stand: [wanted: Wanted] }>()
const list = ref<HTMLElement>()
const pane = ref<InstanceType<typeof StanceBone>>()
const { chosen, axes, snap, rows, offers, forward, comparing, rollMarkers } = props.stances
const ordered = computed(() =>
  worstFirst(
    rows.value,
    props.fitting.parts.map((part) => part.name),
  ),
)
const own = computed(() => ordered.value.findIndex((row) => row.own))
const limbs = computed(() =>
  [...new Set(props.fitting.stance.map((row) => row.limb))].filter((limb) => limb !== 'root'),
)
const chosenRow = computed(() => {
  const at = chosen.value
  if (!at) return undefined
  return rows.value.find((row) =>
    at.which === 'target'
      ? row.bone === at.bone
      : props.fitting.pairs.some((pair) => pair.part === row.part && pair.source.includes(at.bone)),
  )
})
const at = computed(
  () => (
    void props.stances.moved.value,
    chosen.value ? props.stances.boneAt(chosen.value.which, chosen.value.bone) : null
  ),
)
const above = computed(() => {
  if (!chosen.value) return null
  const tree = props.trees[chosen.value.which]
  const parent = tree.parents[tree.names.indexOf(chosen.value.bone)]
  return (
    void props.stances.moved.value,
    parent >= 0 ? props.stances.boneAt(chosen.value.which, tree.names[parent]) : null
  )
})
const turned = (which: Which, bone: string) => props.fitting.stances[which].turned.includes(bone)

/** A small fan: the angle still open between the two. */
function fan(degrees: number) {
  const angle = (Math.min(degrees, 90) * Math.PI) / 180
  return `M1 15 L21 15 A20 20 0 0 0 ${(1 + 20 * Math.cos(angle)).toFixed(2)} ${(15 - 20 * Math.sin(angle)).toFixed(2)} Z`
}
/** What motion has shown of the axis a limb bends about. */
const seen = (row: StanceRow) =>
  row.hinge
    ? `its hinge was seen over ${row.hinge[1].toFixed(0)}° of motion, ${Math.round(row.hinge[0] * 100)} % sure`
    : undefined
/** The row that Tab comes to: the one that somebody was in last, the chosen one, or the first. */
const here = ref('')
const first = computed(
  () => ordered.value.find((row) => row.part + row.bone === here.value) ?? chosenRow.value ?? ordered.value[0],
)
const choose = (row: StanceRow) =>
  (chosen.value = chosen.value?.bone === row.bone ? null : { which: 'target', bone: row.bone })
function move(event: KeyboardEvent, by: number) {
  const buttons = [...(list.value?.querySelectorAll<HTMLElement>('button.row') ?? [])]
  const next = buttons[buttons.indexOf(event.currentTarget as HTMLElement) + by]
  next?.focus()
  event.preventDefault()
  event.stopPropagation()
}
useShortcuts('Stance', {
  list: () => list.value?.querySelector<HTMLElement>('button.row[tabindex="0"]')?.focus(),
  angle: () => {
    if (!chosen.value) return false
    pane.value?.$el.querySelector('input').focus()
  },
  align: () => emit('stand', { op: 'align' }),
  alignLimb: () => {
    if (!chosen.value || !chosenRow.value) return false
    emit('stand', { op: 'align', limb: chosenRow.value.limb, side: chosen.value.which })
  },
  reset: () => {
    if (!chosen.value) return false
    emit('stand', { op: 'reset', side: chosen.value.which, bone: chosen.value.bone })
  },
  mirror: () => void (mirror.value = !mirror.value),
  rollMarkers: () => void (rollMarkers.value = !rollMarkers.value),
  compare: () => void props.stances.compare(!comparing.value),
  letGo: () => {
    if (!chosen.value) return false
    chosen.value = null
  },
})
</script>

<template>
  <div class="scroll" @mouseleave="emit('point', null)">
    <div class="top">
      <StanceSide
        which="source"
        title="source"
        :stance="fitting.stances.source"
        :offers="offers?.source ?? null"
        :fitting-id="fitting.id"
        :clip="clip"
        :frame="frame"
        :frames="frames"
        @stand="emit('stand', $event)"
        @offers="stances.loadOffers"
      />
      <StanceSide
        which="target"
        :title="character"
        :stance="fitting.stances.target"
        :offers="offers?.target ?? null"
        :fitting-id="fitting.id"
        :clip="clip"
        :frame="frame"
        :frames="frames"
        @stand="emit('stand', $event)"
        @offers="stances.loadOffers"
      />
      <StanceMeasures :measures="fitting.measures" :character="character" @stand="emit('stand', $event)" />
      <div class="acts">
        <v-btn class="doing" size="small" v-bind="withKey('Stance', 'align')" @click="emit('stand', { op: 'align' })"
          >Align all</v-btn
        >
        <v-menu>
          <template #activator="{ props: menu }"
            ><button class="plain word" v-bind="menu">Align a limb</button></template
          >
          <v-list density="compact"
            ><v-list-item v-for="limb in limbs" :key="limb" :title="limb" @click="emit('stand', { op: 'align', limb })"
          /></v-list>
        </v-menu>
        <v-menu>
          <template #activator="{ props: menu }"><button class="plain word" v-bind="menu">Sides</button></template>
          <v-list density="compact">
            <template v-for="which in ['target', 'source'] as const" :key="which">
              <v-list-item
                :title="`${which === 'target' ? character : 'Source'}: left onto right`"
                @click="emit('stand', { op: 'mirror', side: which, from_side: 'left' })"
              />
              <v-list-item
                :title="`${which === 'target' ? character : 'Source'}: right onto left`"
                @click="emit('stand', { op: 'mirror', side: which, from_side: 'right' })"
              />
              <v-list-item
                :title="`${which === 'target' ? character : 'Source'}: exchange the sides`"
                @click="emit('stand', { op: 'mirror', side: which })"
              />
            </template>
            <v-divider />
            <v-list-item
              title="Turn the source to stand as the character"
              @click="emit('stand', { op: 'align', side: 'source' })"
            />
          </v-list>
        </v-menu>
        <button
          class="plain word"
          :disabled="!fitting.stances.target.turned.length && !fitting.stances.source.turned.length"
          @click="emit('stand', { op: 'reset', side: fitting.stances.target.turned.length ? 'target' : 'source' })"
        >
          Reset all
        </button>
        <button
          class="plain word"
          v-bind="withKey('Stance', 'compare')"
          :aria-pressed="comparing"
          @click="stances.compare(!comparing)"
        >
          {{ comparing ? 'Now' : 'Before' }}
        </button>
        <label class="mirror" v-bind="withKey('Stance', 'mirror')"
          ><input v-model="mirror" type="checkbox" /> Other side follows</label
        >
      </div>
    </div>
    <div ref="list" class="list" role="group" aria-label="What is left, part by part">
      <div class="row head quiet">
        <span>part</span><span>bone</span><span class="n">turned</span><span class="n">left</span><span></span
        ><span class="n">roll</span>
      </div>
      <template v-for="(row, n) in ordered" :key="row.part + row.bone">
        <p v-if="n === own" class="quiet own">kept as they are built</p>
        <button
          class="plain row"
          :class="{ pointed: pointed === row.part, chosen: chosen?.which === 'target' && chosen.bone === row.bone }"
          :tabindex="first === row ? 0 : -1"
          @mouseenter="emit('point', row.part)"
          @focus="((here = row.part + row.bone), emit('point', row.part))"
          @click="choose(row)"
          @keydown.down="move($event, 1)"
          @keydown.up="move($event, -1)"
        >
          <span :title="row.part"
            >{{ row.part }}<span v-if="turned('target', row.bone)" class="hand" title="turned by hand"> ✎</span></span
          >
          <span class="mono bone" :title="row.bone">{{ row.bone }}</span>
          <span class="mono n">{{ row.turned.toFixed(1) }}°</span>
          <span class="mono n">{{ row.left.toFixed(1) }}°</span>
          <svg width="22" height="16" aria-hidden="true">
            <path :d="fan(row.left)" :class="{ own: row.own }" />
            <line x1="1" y1="15" x2="21" y2="15" />
          </svg>
          <span class="mono n" :title="seen(row)"
            ><span
              v-if="row.hinge && fitting.measures.hinges"
              class="hinge"
              :class="{ faint: row.hinge[0] < 0.5 }"
              aria-hidden="true"
            ></span
            >{{ row.roll === null ? '' : `${row.roll.toFixed(1)}°`
            }}<span v-if="row.hinge" class="sr">{{ seen(row) }}</span></span
          >
        </button>
      </template>
      <p v-if="!rows.length" class="quiet empty-list">
        Nothing is paired yet, so there is nothing to compare. Pair bones first.
      </p>
    </div>
  </div>
  <StanceBone
    v-if="chosen"
    ref="pane"
    v-model:axes="axes"
    v-model:snap="snap"
    :chosen="chosen"
    :row="chosenRow"
    :turned="turned(chosen.which, chosen.bone)"
    :at="at"
    :parent="above"
    :forward="forward"
    :mirror="mirror"
    @stand="emit('stand', $event)"
    @limb="emit('stand', { op: 'align', side: chosen.which, limb: chosenRow!.limb })"
    @close="chosen = null"
  />
</template>

<style scoped>
.scroll {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
}
.top {
  padding: 9px 14px 8px;
  display: grid;
  gap: 7px;
  border-bottom: 1px solid var(--hairline);
}
.acts {
  display: flex;
  gap: 6px 12px;
  align-items: center;
  flex-wrap: wrap;
  font-size: 13.5px;
}
.acts [aria-pressed='true'] {
  font-weight: 700;
  color: var(--accent);
}
.mirror {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
  min-height: 24px;
}
.list {
  padding: 4px 14px 14px;
  font-size: 13.5px;
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1.7fr) minmax(0, 1fr) 50px 48px 24px 52px;
  gap: 4px;
  width: 100%;
  align-items: center;
  min-height: 24px;
  border-top: 1px solid var(--hairline);
}
.row.head {
  border-top: 0;
  font-size: 12.5px;
  position: sticky;
  top: 0;
  background: var(--panel);
  z-index: 1;
}
.row > span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.n {
  text-align: right;
}
.bone {
  font-size: 12px;
}
.hinge {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 4px;
  border: 2px solid currentColor;
  border-left-color: transparent;
  border-radius: 50%;
  vertical-align: -1px;
}
.hinge.faint {
  opacity: 0.45;
}
.hand {
  color: var(--accent);
}
.own {
  padding: 7px 0 2px;
  font-size: 12.5px;
}
.empty-list {
  padding: 12px 0;
}
svg {
  display: block;
  margin-left: auto;
}
path {
  fill: var(--accent);
  opacity: 0.4;
}
path.own {
  fill: var(--quiet);
}
line {
  stroke: var(--quiet);
}
.pointed,
.row.plain:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.chosen {
  background: rgb(var(--v-theme-surface-variant));
  box-shadow: inset 3px 0 0 var(--accent);
}
</style>
