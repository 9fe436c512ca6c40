<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import DraftInput from '@/shared/fields/DraftInput.vue'
import { frameNumber, inUnits, quantity } from '@/shared/units'
import BeforeAfter from './BeforeAfter.vue'
import ExceptionRow from './ExceptionRow.vue'
import type { Leaf } from './leaves'
import FollowRows from './FollowRows.vue'
import GradeTable from './GradeTable.vue'
import ShareSlider from './ShareSlider.vue'
import TravelRows from './TravelRows.vue'
import { GRADES, type Change, type Finding, type Settling } from './useSettling'
import type { Fitting } from './weave'

/** The third leaf: what happens beyond rotations. Each control stands beside what it does to the clip in view. */
const props = defineProps<{
  fitting: Fitting
  settling: Settling
  character: { id: number; name: string }
  clips: { id: number; name: string }[]
  clip?: { id: number; name: string }
  bones: string[]
}>()
const emit = defineEmits<{
  frame: [frame: number]
  clip: [id: number]
  leaf: [leaf: Leaf]
  touchUp: [finding: Finding]
}>()
const { settings, measures, measuring, contacts, all, going } = props.settling
const router = useRouter()
const each = ref(false)
const body = ref<HTMLElement>()
const feet = computed(() => (contacts.value?.points ?? []).filter((point) => point.foot))
const limbs = computed(() => [...new Set(feet.value.map((point) => point.limb))])
const keep = (said: Change) => void props.settling.change(said)
const attempt = (said: Change) => void props.settling.attempt(said)
/** How far the hips give way, and what is out of reach all the same. */
const reached = computed(() => {
  const { lowered = 0, short = {} } = measures.value ?? {}
  const far = Object.entries(short).filter(([, cm]) => cm >= 0.5)
  const limbs = far.map(([limb, cm]) => `${limb} ${quantity(cm, 'cm')}`).join(', ')
  const hips = lowered >= 0.1 ? `The hips give way by ${quantity(lowered, 'cm')}.` : ''
  return limbs ? `${hips} Out of reach: ${limbs}.` : hips
})
const hits = computed(() => Object.entries(measures.value?.hits ?? {}))
const percent = (ratio: number | null) => Math.round((ratio ?? props.fitting.measures.size) * 1000) / 10
function ratio(event: Event, name: 'stride' | 'height') {
  const text = (event.target as HTMLInputElement).value.trim().replace(',', '.')
  keep({ [name]: text === '' ? null : Number(text) / 100 })
}
/** To the control that would mend a finding. */
function mend(where: string) {
  if (where === 'touch-up') return emit('leaf', 'touchup')
  if (where === 'pairs') return emit('leaf', 'pair')
  if (['facing', 'stance', 'floor', 'size'].includes(where)) return emit('leaf', 'stance')
  if (where === 'character') return void router.push(`/cast?character=${props.character.id}`)
  if (where === 'clip' && props.clip) return void router.push(`/library/clips/${props.clip.id}`)
  const place = body.value?.querySelector<HTMLElement>(`[data-control="${where}"]`)
  place?.scrollIntoView({ block: 'center' })
  place?.querySelector<HTMLElement>('input, button')?.focus()
}
const total = computed(() => {
  const rows = all.value.filter((row) => row.measures)
  const count = (grade: string) => rows.filter((row) => row.measures!.grade === grade).length
  return { done: rows.length, good: count('good'), look: count('look'), wrong: count('wrong') }
})
</script>

<template>
  <div v-if="settings" ref="body" class="scroll">
    <section class="grade">
      <div class="line">
        <b v-if="measures" :class="['mark', measures.grade]"
          ><span aria-hidden="true">{{ GRADES[measures.grade].mark }}</span> {{ GRADES[measures.grade].word }}</b
        >
        <span v-else class="quiet">{{ measuring ? 'Measuring …' : 'Not measured' }}</span>
        <span v-if="measures" class="quiet"
          >{{ measures.findings.length ? `${measures.findings.length} to look at` : 'nothing to look at' }} in
          {{ clip?.name }}{{ measuring ? ', measuring …' : '' }}</span
        >
        <span class="space"></span>
        <button v-if="going" class="plain word" @click="settling.stop()">Stop</button>
        <button v-else class="plain word" @click="settling.measureAll(clips)">
          Measure all {{ clips.length }} clips
        </button>
      </div>
      <ul v-if="measures?.findings.length" class="findings">
        <li v-for="(finding, n) in measures.findings" :key="n">
          <span aria-hidden="true" :class="finding.grade">{{ GRADES[finding.grade].mark }}</span>
          <span
            >{{ inUnits(finding.text) }}
            <button v-if="finding.unit" class="plain word" @click="emit('frame', finding.frames[0])">
              frame {{ frameNumber(finding.frames[0]) }}
            </button>
            <button v-if="finding.mend" class="plain word" @click="mend(finding.mend)">mend</button>
            <button v-if="finding.unit" class="plain word" @click="emit('touchUp', finding)">touch up here</button>
          </span>
        </li>
      </ul>
      <div v-if="all.length" class="all">
        <p role="status">
          {{ total.done }} of {{ all.length }} clips: {{ total.good }} good, {{ total.look }} to look at,
          {{ total.wrong }} wrong
        </p>
        <ul>
          <li
            v-for="row in all.filter(
              (measured) => measured.failed || (measured.measures && measured.measures.grade !== 'good'),
            )"
            :key="row.id"
          >
            <button class="plain word" @click="emit('clip', row.id)">{{ row.name }}</button>
            <span class="quiet">{{ inUnits(row.failed || (row.measures!.findings[0]?.text ?? '')) }}</span>
          </li>
        </ul>
      </div>
    </section>

    <ExceptionRow :settling="settling" :clip="clip" />

    <section>
      <h2>
        Feet <span class="quiet">contacts {{ contacts?.by_hand ? 'set by hand' : 'as found' }}</span>
        <button v-if="contacts?.by_hand" class="plain word" @click="settling.setContacts(null)">As found</button>
        <button class="plain word" :aria-expanded="each" @click="each = !each">
          {{ each ? 'All alike' : 'Each leg' }}
        </button>
      </h2>
      <div data-control="hold">
        <ShareSlider
          label="Hold contacts"
          :value="settings.hold"
          @try="attempt({ hold: $event })"
          @keep="keep({ hold: $event })"
          ><BeforeAfter :measures="measures" kind="foot slide"
        /></ShareSlider>
        <div class="under">
          <BeforeAfter :measures="measures" kind="floor" /><BeforeAfter :measures="measures" kind="float" /><BeforeAfter
            :measures="measures"
            kind="reach"
          />
        </div>
        <template v-if="each || Object.keys(settings.holds).length">
          <ShareSlider
            v-for="limb in limbs"
            :key="limb"
            :label="limb"
            :value="settings.holds[limb] ?? settings.hold"
            @try="attempt({ holds: { [limb]: $event } })"
            @keep="keep({ holds: { [limb]: $event } })"
          >
            <button v-if="limb in settings.holds" class="plain word" @click="keep({ holds: { [limb]: null } })">
              as the others
            </button>
          </ShareSlider>
        </template>
        <p v-if="reached" class="note quiet">{{ reached }}</p>
      </div>
    </section>

    <section data-control="hands">
      <h2>Hands</h2>
      <ShareSlider
        label="To what is still"
        :value="settings.hands.floor ?? 1"
        @try="attempt({ hands: { floor: $event } })"
        @keep="keep({ hands: { floor: $event } })"
      />
      <ShareSlider
        label="To each other"
        :value="settings.hands['other hand'] ?? 1"
        @try="attempt({ hands: { 'other hand': $event } })"
        @keep="keep({ hands: { 'other hand': $event } })"
      />
      <ShareSlider
        label="To the body"
        :value="settings.hands.body ?? 1"
        @try="attempt({ hands: { body: $event } })"
        @keep="keep({ hands: { body: $event } })"
        ><BeforeAfter :measures="measures" kind="jerk"
      /></ShareSlider>
    </section>

    <section data-control="clear">
      <h2>Arms</h2>
      <ShareSlider
        label="Clear of the body"
        :value="settings.clear"
        @try="attempt({ clear: $event })"
        @keep="keep({ clear: $event })"
        ><BeforeAfter :measures="measures" kind="clipping"
      /></ShareSlider>
      <ShareSlider
        label="Spread or tuck"
        :value="settings.spread"
        :least="-40"
        :most="60"
        :step="1"
        :scale="1"
        unit="°"
        @try="attempt({ spread: $event })"
        @keep="keep({ spread: $event })"
      >
        <span v-if="measures && measures.turned_out > 0.002" class="quiet"
          >turned out {{ ((measures.turned_out * 180) / Math.PI).toFixed(0) }}°</span
        >
      </ShareSlider>
    </section>

    <section data-control="stride">
      <h2>Proportions</h2>
      <div class="fields">
        <label
          >Stride
          <DraftInput
            :value="percent(settings.stride)"
            :class="{ said: settings.stride !== null }"
            :disabled="settings.path === 'absolute'"
            inputmode="decimal"
            aria-label="Stride, percent of the source's"
            @change="ratio($event, 'stride')"
          />%</label
        >
        <label
          >Heights
          <DraftInput
            :value="percent(settings.height)"
            :class="{ said: settings.height !== null }"
            inputmode="decimal"
            aria-label="Heights, percent of the source's"
            @change="ratio($event, 'height')"
          />%</label
        >
        <button
          v-if="settings.stride !== null || settings.height !== null"
          class="plain word"
          @click="keep({ stride: null, height: null })"
        >
          By the body
        </button>
        <span class="choice" role="group" aria-label="Path over the ground">
          <button :aria-pressed="settings.path === 'scaled'" @click="keep({ path: 'scaled' })">Path in its size</button>
          <button
            :aria-pressed="settings.path === 'absolute'"
            title="Where the source goes, metre by metre"
            @click="keep({ path: 'absolute' })"
          >
            The source's path
          </button>
        </span>
      </div>
    </section>

    <TravelRows
      :travel="settings.travel"
      :parts="fitting.pairs.map((pair) => pair.part).filter((part) => part !== null)"
      :measures="measures"
      @keep="keep"
    />
    <FollowRows
      :settings="settings"
      :fitting="fitting"
      :bones="bones"
      :shifting="contacts?.shifting ?? []"
      @try="attempt"
      @keep="keep"
    />

    <section data-control="limits">
      <h2>Joint limits</h2>
      <div class="fields">
        <span class="choice" role="group" aria-label="Joint limits">
          <button
            v-for="kind in ['off', 'soft', 'hard'] as const"
            :key="kind"
            :aria-pressed="settings.limits === kind"
            @click="keep({ limits: kind })"
          >
            {{ kind === 'off' ? 'Only measured' : kind === 'soft' ? 'Soft' : 'Hard' }}
          </button>
        </span>
        <BeforeAfter :measures="measures" kind="limit" />
        <router-link :to="`/cast?character=${character.id}`">Limits of {{ character.name }}</router-link>
      </div>
      <p v-if="hits.length" class="note quiet">
        Held back: {{ hits.map(([part, frames]) => `${part} in ${frames} frames`).join(', ') }}.
      </p>
    </section>
    <GradeTable :measures="measures" :grades="settings.grades" @keep="keep({ grades: $event })" />
  </div>
</template>

<style scoped>
.scroll {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  font-size: 13.5px;
}
section,
.scroll :deep(section) {
  padding: 8px 14px 9px;
  border-bottom: 1px solid var(--hairline);
  display: grid;
  gap: 3px;
}
h2,
.scroll :deep(h2) {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 14px;
}
h2 .quiet,
h2 .word {
  font-weight: 400;
  font-size: 13px;
}
.line {
  display: flex;
  gap: 9px;
  align-items: baseline;
  min-height: 26px;
}
.mark {
  font-size: 15px;
}
.wrong {
  color: var(--wrong);
}
.findings {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  display: grid;
  gap: 3px;
  max-height: 116px;
  overflow-y: auto;
}
.findings li {
  display: grid;
  grid-template-columns: 1.1rem 1fr;
}
.findings .word,
.all .word {
  font-size: 13px;
  margin-right: 7px;
}
.all ul {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  max-height: 120px;
  overflow-y: auto;
}
.under {
  display: flex;
  justify-content: flex-end;
  gap: 14px;
  font-size: 12.5px;
  min-height: 17px;
  flex-wrap: wrap;
}
.note {
  font-size: 12.5px;
}
.fields,
.scroll :deep(.fields) {
  display: flex;
  gap: 6px 10px;
  align-items: center;
  flex-wrap: wrap;
}
.fields :deep(input:not([type])),
.fields input:not([type]),
.scroll :deep(.fields input:not([type])) {
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 1px 4px;
  background: var(--paper);
  color: inherit;
  font-family: var(--mono);
  font-size: 13px;
  text-align: right;
  min-height: 25px;
  width: 3.6rem;
}
.fields .said {
  border-color: var(--accent);
}
.scroll :deep(.choice button) {
  font-size: 13px;
  padding: 2px 8px;
  min-height: 26px;
}
</style>
