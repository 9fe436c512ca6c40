<script setup lang="ts">
import { computed, ref } from 'vue'

import AxisTurns from '@/features/fitting/AxisTurns.vue'
import FileButton from '@/shared/frame/FileButton.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { inUnits, lengthStep, lengthUnit, lengthWord, metresOf } from '@/shared/units'
import CarryDialog from './CarryDialog.vue'
import KeyFields from './KeyFields.vue'
import LayerRows from './LayerRows.vue'
import { boneLabel, byLimb, WORLD_AXES, type Finding } from './touchups'
import type { TouchUps } from './useTouchUps'

/** Small corrections over the result of a clip: its layers, the bone that is touched, and what is done with keys. */
const props = defineProps<{
  touchups: TouchUps
  clip: { id: number; name: string } | undefined
  character: string
  frame: number
  findings: Finding[]
  /** What the result was sent back with. */
  note: string
}>()
const {
  layers,
  layer,
  layerName,
  bones,
  bone,
  chosen,
  own,
  keys,
  axes,
  snap,
  against,
  ghost,
  traced,
  graph,
  proposal,
  proposing,
} = props.touchups
const { edit, attempt, turn, move, setKey, ofKeys, toKey, letGo, takeProposal, mend } = props.touchups
const groups = computed(() => byLimb(bones.value))
const list = computed(() => {
  void [props.frame, axes.value, props.touchups.found.value]
  return (bone.value && props.touchups.boneAt()?.axes) || []
})
const typed = ref(['', '', ''])
const step = computed(lengthStep)
/** far: in the unit that lengths are written in. */
const shift = (n: number, far: number) => {
  if (Number.isFinite(far) && far) void edit(move(WORLD_AXES[n].axis.map((part) => part * metresOf(far))))
}
function enter(n: number) {
  shift(n, Number(typed.value[n].replace(',', '.')))
  typed.value[n] = ''
}
const mendable = computed(() => props.findings.filter((row) => ['clipping', 'floor', 'reach'].includes(row.kind)))
const parts = computed(() => [...new Set(bones.value.map((row) => row.part).filter(Boolean))])
const carrying = ref(false)
/** The layer that answers a note has its words. */
const answering = computed(() => props.note.slice(0, 80).trim())
const filePath = computed(() => {
  const { path } = props.touchups.path().params
  return `/api/fittings/${path.fitting_id}/touchups/${path.clip_id}/file`
})
useShortcuts('Touch up', {
  key: setKey,
  next: () => toKey(1),
  previous: () => toKey(-1),
  copy: () => void ofKeys({ op: 'copy', frame: props.frame }),
  mirror: () => void ofKeys({ op: 'mirror', frame: props.frame }),
  remove: () => void ofKeys({ op: 'delete' }),
  onOff: () => void (layer.value && edit({ op: 'layer', changes: { on: !layer.value.on } as never })),
  ghost: () => void (ghost.value = !ghost.value),
  letGo: () => {
    if (proposal.value) return letGo()
    if (keys.value.length) keys.value = []
    else if (chosen.value) chosen.value = ''
    else return false
  },
})
</script>

<template>
  <div class="touchup">
    <div class="top">
      <button class="plain word" @click="edit({ op: 'add', layer: null })">Add a layer</button>
      <span class="space"></span>
      <label><input v-model="ghost" type="checkbox" /> As it was</label>
      <label><input v-model="traced" type="checkbox" /> Trace</label>
      <label><input v-model="graph" type="checkbox" /> Curve</label>
    </div>
    <p v-if="note && !layers.some((row) => row.name === answering)" class="sent-back">
      Sent back: {{ note }}
      <button class="plain word" @click="edit({ op: 'add', layer: answering }, () => (layerName = answering))">
        Answer it with a layer
      </button>
    </p>
    <p v-if="!layers.length" class="quiet empty-layers">
      Nothing is touched up yet. Click a bone's ring on {{ character }}, then turn it by its rings, or draw a hand, a
      foot, the head or the hips to its place: that sets a key at the playhead, and a layer for it.
    </p>
    <LayerRows v-else :touchups="touchups" :frame="frame" />
    <p v-for="sentence in touchups.found.value?.lost ?? []" :key="sentence" class="lost">{{ inUnits(sentence) }}</p>

    <section class="bone" aria-label="The bone that is touched">
      <div class="line">
        <select v-model="chosen" aria-label="Bone to touch up" class="choose">
          <option value="">choose a bone</option>
          <optgroup v-for="group in groups" :key="group.limb" :label="group.limb">
            <option v-for="row in group.bones" :key="row.bone" :value="row.bone">{{ boneLabel(row) }}</option>
          </optgroup>
        </select>
        <span v-if="bone" class="mono quiet">{{ bone.bone }}</span>
        <span class="space"></span>
        <button
          v-if="bone"
          class="plain word"
          v-bind="withKey('Touch up', 'key', 'Hold what is there by a key at the playhead')"
          @click="setKey"
        >
          Set a key
        </button>
      </div>
      <template v-if="bone">
        <AxisTurns
          v-model:axes="axes"
          v-model:snap="snap"
          :list="list"
          :of="bone.bone"
          @turn="(axis, degrees) => edit(turn(axis, degrees))"
        />
        <div v-if="bone.moves" class="axes">
          <div v-for="(way, n) in WORLD_AXES" :key="way.name" class="axis">
            <svg width="26" height="8" aria-hidden="true">
              <line x1="1" y1="4" x2="25" y2="4" :class="`ink axis-${n}`" />
            </svg>
            <span>{{ way.name }}</span>
            <span class="name-break"></span>
            <button class="plain step" :aria-label="`Move back ${way.name}`" @click="shift(n, -step)">−</button>
            <input
              v-model="typed[n]"
              placeholder="0.0"
              :aria-label="`Move ${way.name}, ${lengthWord()}`"
              inputmode="decimal"
              @keydown.enter="enter(n)"
              @keydown.up.prevent="shift(n, $event.shiftKey ? 10 * step : step)"
              @keydown.down.prevent="shift(n, $event.shiftKey ? -10 * step : -step)"
            />{{ lengthUnit.value }}
            <button class="plain step" :aria-label="`Move on ${way.name}`" @click="shift(n, step)">+</button>
          </div>
        </div>
        <label v-if="bone.moves === 'place' && !own.some(({ touchup }) => touchup.channel === 'place')" class="quiet">
          moved with
          <select v-model="against" aria-label="What it is moved with">
            <option value="">the world</option>
            <option v-for="part in parts" :key="part" :value="part">the {{ part }}</option>
          </select>
        </label>
      </template>
    </section>
    <KeyFields :touchups="touchups" :frame="frame" />

    <section v-if="proposal || proposing || mendable.length" class="mend" aria-label="Findings that can be mended here">
      <template v-if="proposal">
        <p>
          {{ inUnits(proposal.finding.text) }} <b>{{ inUnits(proposal.sentence) }}</b>
        </p>
        <v-btn class="doing" size="small" @click="takeProposal">Take it</v-btn>
        <button class="plain word" @click="letGo">Leave it</button>
        <button class="plain word" @click="void attempt(proposal.edit)">Show it</button>
      </template>
      <p v-else-if="proposing" class="quiet">Looking for the smallest offset that ends it …</p>
      <ul v-else>
        <li v-for="row in mendable" :key="`${row.kind} ${row.part}`">
          {{ inUnits(row.text) }}
          <button class="plain word" :aria-label="`Touch up here: ${row.text}`" @click="mend(row)">
            Touch up here
          </button>
        </li>
      </ul>
    </section>

    <div class="bottom">
      <button class="plain word" :disabled="!layers.length" @click="carrying = true">Carry over …</button>
      <span class="space"></span>
      <a v-if="clip && layers.length" class="word" :href="filePath" download>Save the layers</a>
      <FileButton label="Take from a file" accept=".json" @files="(files: File[]) => touchups.takeFrom(files[0])" />
    </div>
    <CarryDialog v-if="clip" v-model="carrying" :touchups="touchups" :clip="clip" />
  </div>
</template>

<style scoped src="../fitting/axisFields.css"></style>
<style scoped>
.touchup {
  display: flex;
  flex-direction: column;
}
.top,
.bottom {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 8px 14px;
  font-size: 14px;
  min-height: 40px;
}
.top label {
  display: flex;
  gap: 5px;
  align-items: center;
  min-height: 24px;
}
.top {
  border-bottom: 1px solid var(--hairline);
}
.empty-layers,
.lost {
  margin: 0;
  padding: 10px 14px;
}
.sent-back {
  margin: 0;
  padding: 8px 14px;
  font-size: 14px;
  color: var(--wrong);
}
.lost {
  color: var(--accent);
  font-size: 13.5px;
}
.bone {
  padding: 8px 14px;
  display: grid;
  gap: 7px;
  font-size: 13.5px;
}
.choose {
  max-width: 15rem;
}
.ink {
  stroke: var(--ink);
}
.mend {
  border-top: 1px solid var(--hairline);
  padding: 8px 14px;
  font-size: 13.5px;
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
  align-items: center;
}
.mend p {
  margin: 0;
  flex-basis: 100%;
}
.mend ul {
  padding: 0;
  margin: 0;
  list-style: none;
  display: grid;
  gap: 4px;
}
.bottom {
  border-top: 1px solid var(--hairline);
}
</style>
