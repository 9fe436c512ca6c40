<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '@/api/client'
import { inUnits } from '@/shared/units'
import CutChoices from './CutChoices.vue'
import KeptRecipes from './KeptRecipes.vue'
import LoopChoices from './LoopChoices.vue'
import {
  added,
  fresh,
  KINDS,
  moved,
  removed,
  replaced,
  type Kind,
  type LoopCandidate,
  type Proposal,
  type Recipe,
  type Step,
} from './recipe'
import StepRow from './StepRow.vue'

/** The recipe of a clip: what is proposed, its steps, and what can be added. frame: of the take, in view. */
const props = defineProps<{
  clip: number
  recipe: Recipe
  analysis: Schemas['RefiningOut'] | null
  measuring: boolean
  frame: number
  fps: number
}>()
const emit = defineEmits<{
  try: [recipe: Recipe]
  keep: [recipe: Recipe]
  compare: [loop: LoopCandidate | null]
  variant: []
  cut: [cuts: Schemas['SegmentOut'][]]
  show: [frame: number]
}>()

const steps = computed(() => props.recipe.steps)
const proposals = computed(() => props.analysis?.proposals ?? [])
const mending = computed(() => proposals.value.filter((proposal) => proposal.step.kind !== 'loop'))
const keep = (steps: Step[]) => emit('keep', { steps })
const stepOf = (proposal: Proposal) => proposal.step as unknown as Step
const take = (...chosen: Proposal[]) => keep([...steps.value, ...chosen.map(stepOf)])

/** What is proposed comes first. */
const kinds = computed(() => {
  const first = proposals.value.map((proposal) => proposal.step.kind as Kind)
  const every = Object.keys(KINDS) as Kind[]
  return [...new Set([...first, ...every])].map((kind) => ({
    kind,
    title: KINDS[kind].label,
    does: KINDS[kind].does,
    proposed: first.includes(kind),
  }))
})
const choice = ref<Kind | null>(null)
const typed = ref('')
const search = (_: string, wanted: string, item?: { raw: { title: string; does: string } }) =>
  `${item?.raw.title} ${item?.raw.does}`.toLowerCase().includes(wanted.toLowerCase())
function add(kind: Kind | null) {
  if (!kind) return
  const proposed = proposals.value.find((proposal) => proposal.step.kind === kind)
  keep(added(steps.value, proposed ? stepOf(proposed) : fresh(kind, props.frame, props.analysis?.loops[0])))
  choice.value = null
  typed.value = ''
}
</script>

<template>
  <div class="recipe">
    <section v-if="proposals.length" aria-label="Proposed">
      <h2>Proposed</h2>
      <ul>
        <li v-for="proposal in proposals" :key="proposal.sentence" class="proposal">
          <span>{{ inUnits(proposal.sentence) }}</span>
          <v-btn size="small" :aria-label="`Take: ${inUnits(proposal.sentence)}`" @click="take(proposal)">Take</v-btn>
        </li>
      </ul>
      <v-btn v-if="mending.length > 1" size="small" class="doing" @click="take(...mending)">
        Take all {{ mending.length }} that mend it
      </v-btn>
    </section>
    <p v-else-if="analysis && !steps.length" class="quiet">Nothing in it needs mending.</p>
    <p v-else-if="measuring && !analysis" class="quiet" role="status">Measuring it …</p>

    <section aria-label="Recipe">
      <h2>
        Recipe <span class="space"></span>
        <button
          class="plain word"
          title="A second clip on the same take, with this recipe to go on from"
          @click="emit('variant')"
        >
          Keep as a variant
        </button>
        <KeptRecipes :recipe="recipe" @take="(kept) => emit('keep', { steps: [...steps, ...kept.steps] })" />
      </h2>
      <p v-if="!steps.length" class="quiet">
        The clip is its take as it came. Steps change it and leave the take alone.
      </p>
      <ul>
        <StepRow
          v-for="(step, n) in steps"
          :key="n"
          :step="step"
          :effects="analysis?.effects[n] ?? []"
          :limbs="analysis?.limbs ?? []"
          :frame="frame"
          :first="n === 0"
          :last="n === steps.length - 1"
          @try="emit('try', { steps: replaced(steps, n, $event) })"
          @keep="keep(replaced(steps, n, $event))"
          @move="keep(moved(steps, n, $event))"
          @remove="keep(removed(steps, n))"
        >
          <LoopChoices
            v-if="step.kind === 'loop' && step.on"
            :loops="analysis?.loops ?? []"
            :first="step.first"
            :last="step.last"
            @choose="(loop) => keep(replaced(steps, n, { ...step, first: loop.first, last: loop.last }))"
            @compare="emit('compare', $event)"
          />
        </StepRow>
      </ul>
      <v-autocomplete
        v-model="choice"
        v-model:search="typed"
        class="add"
        :items="kinds"
        item-value="kind"
        item-title="title"
        :custom-filter="search"
        placeholder="Add a step"
        aria-label="Add a step"
        density="compact"
        variant="outlined"
        hide-details
        auto-select-first
        menu-icon=""
        @update:model-value="add"
      >
        <template #item="{ props: item, item: raw }">
          <v-list-item v-bind="item" :title="undefined" density="compact">
            <span class="kind"
              >{{ raw.title }} <span v-if="raw.proposed" class="proposed">proposed</span>
              <span class="quiet">{{ raw.does }}</span></span
            >
          </v-list-item>
        </template>
      </v-autocomplete>
    </section>
    <CutChoices
      v-if="analysis?.cuts.length"
      :clip="clip"
      :cuts="analysis.cuts"
      :fps="fps"
      @cut="emit('cut', $event)"
      @show="emit('show', $event)"
    />
  </div>
</template>

<style scoped>
.recipe {
  padding: 12px 18px;
  display: grid;
  gap: 14px;
  align-content: start;
}
section {
  display: grid;
  gap: 6px;
  justify-items: stretch;
}
h2 {
  font-size: 15px;
  display: flex;
  gap: 14px;
  align-items: baseline;
}
h2 :deep(.word) {
  font-weight: 400;
  font-size: 13.5px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.proposal {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 4px 0;
  font-size: 14px;
}
.proposal span {
  flex: 1;
}
p {
  font-size: 14px;
}
.kind {
  display: grid;
  font-size: 14px;
}
.kind .quiet {
  font-size: 13px;
}
.proposed {
  color: var(--accent);
  font-size: 13px;
}
.add {
  margin-top: 4px;
}
.add :deep(.v-field__outline) {
  --v-field-border-opacity: 1;
  color: var(--hairline);
}
.add :deep(.v-field--focused .v-field__outline) {
  color: var(--accent);
}
.add :deep(input) {
  outline: none;
}
</style>
