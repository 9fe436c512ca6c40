<script setup lang="ts">
import { computed, ref } from 'vue'

import { inUnits } from '@/shared/units'
import { useIntake, type IntakeRow } from '@/stores/intake'
import { taken, withProposal, withoutKind, type Proposal, type Recipe } from './proposals'

/** What a clip could be refined by when it is taken in, each with its reason; nothing is done unless it is ticked. */
const props = defineProps<{ row: IntakeRow }>()
const intake = useIntake()
const open = ref(false)
const everywhere = ref(false)
const proposals = computed<Proposal[]>(() => props.row.proposals ?? [])
const chosen = computed(() => proposals.value.filter((proposal) => taken(props.row, proposal)).length)
const mending = computed(() => proposals.value.filter((proposal) => proposal.step.kind !== 'loop').length)
const value = computed(() => {
  if (chosen.value) return `${chosen.value} of ${proposals.value.length} taken`
  return mending.value ? `${mending.value} proposed` : 'could loop'
})
/** That it could loop is no news of a clip that does. */
const worthSaying = computed(() => chosen.value > 0 || mending.value > 0 || !(props.row.found.loop ?? false))
const many = computed(() => intake.ticked.length)

const toggle = (proposal: Proposal) => set([proposal.step.kind], !taken(props.row, proposal))
const missing = computed(() =>
  proposals.value.filter((proposal) => proposal.step.kind !== 'loop' && !taken(props.row, proposal)),
)

/** Take steps of these kinds or leave them, in every ticked clip to which they are proposed where that is wanted. */
async function set(kinds: unknown[], add: boolean) {
  const rows = everywhere.value && props.row.ticked ? intake.ticked : [props.row]
  const recipes = new Map<string, { ids: number[]; recipe: Recipe }>()
  for (const row of rows) {
    const own = (row.proposals ?? []).filter((other) => kinds.includes(other.step.kind))
    if (!own.length) continue
    const recipe = own.reduce<Recipe>(
      (made, proposal) =>
        add
          ? withProposal({ ...row, recipe: made }, proposal)
          : withoutKind({ ...row, recipe: made }, proposal.step.kind),
      { steps: row.recipe.steps ?? [] },
    )
    const same = recipes.get(JSON.stringify(recipe)) ?? { ids: [] as number[], recipe }
    same.ids.push(row.id)
    recipes.set(JSON.stringify(recipe), same)
  }
  await intake.refine([...recipes.values()])
}
</script>

<template>
  <v-menu v-if="proposals.length && worthSaying" v-model="open" :close-on-content-click="false" location="bottom start">
    <template #activator="{ props: menu }">
      <button
        class="plain fact"
        :class="{ told: chosen, doubt: !chosen && mending }"
        v-bind="menu"
        :aria-label="`refine: ${value}`"
      >
        <span class="quiet">refine</span><span class="mono">{{ value }}</span>
      </button>
    </template>
    <v-card class="why">
      <p>Done to the clip when it is taken in; its take stays as it is, and each can be taken back later.</p>
      <label v-for="proposal in proposals" :key="JSON.stringify(proposal.step)" class="proposal">
        <input type="checkbox" :checked="taken(row, proposal)" @change="toggle(proposal)" />
        {{ inUnits(proposal.sentence) }}
      </label>
      <button
        v-if="missing.length > 1"
        class="plain word"
        @click="
          set(
            missing.map((proposal) => proposal.step.kind),
            true,
          )
        "
      >
        Take all {{ missing.length }} that mend it
      </button>
      <label v-if="many > 1" class="everywhere"
        ><input v-model="everywhere" type="checkbox" /> in all {{ many }} ticked clips to which it is proposed</label
      >
    </v-card>
  </v-menu>
</template>

<style scoped src="./detected.css"></style>
<style scoped>
.proposal {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
</style>
