<script setup lang="ts">
import { ref } from 'vue'

import { answer, client } from '@/api/client'
import { useMessages } from '@/stores/messages'
import PlanDialog from './PlanDialog.vue'
import type { Edit } from './useFitting'
import type { Fitting } from './weave'

/** What is done to all pairs at once, the body plan they belong to, and keeping the naming as a pattern. */
const props = defineProps<{ fitting: Fitting; character: string }>()
const emit = defineEmits<{ edit: [wanted: Partial<Edit> & Pick<Edit, 'op'>] }>()
const messages = useMessages()
const plans = ref(false)
const keeping = ref(false)
const name = ref('')
const side = ref<'source' | 'target'>('target')

function keep() {
  name.value = props.character
  side.value = 'target'
  keeping.value = true
}
async function makePattern() {
  try {
    const made = await answer(
      client.POST('/api/patterns/', { body: { name: name.value, fitting_id: props.fitting.id, side: side.value } }),
    )
    keeping.value = false
    messages.say(`The pattern “${made.name}” is kept; it names ${made.bones} bones.`, {
      label: 'See the patterns',
      path: '/fittings/patterns',
    })
  } catch (problem) {
    messages.fail(problem)
  }
}
</script>

<template>
  <v-menu>
    <template #activator="{ props: menu }"><button class="plain word" v-bind="menu">All pairs</button></template>
    <v-list density="compact" class="list">
      <v-list-item
        v-for="share in [95, 90, 80]"
        :key="share"
        :title="`Confirm all from ${share} of 100`"
        @click="emit('edit', { op: 'confirm', above: share / 100 })"
      />
      <v-list-item title="Swap left and right everywhere" @click="emit('edit', { op: 'swap' })" />
      <v-list-item title="Back to the proposal" @click="emit('edit', { op: 'reset' })" />
      <v-list-item title="Match the two trees directly" @click="emit('edit', { op: 'trees' })" />
      <v-list-item title="Clear all pairs" @click="emit('edit', { op: 'clear' })" />
      <v-divider />
      <v-list-item :title="`Body plan: ${fitting.plan} …`" @click="plans = true" />
      <v-list-item title="Keep the naming as a pattern …" @click="keep" />
      <v-list-item title="Patterns" to="/fittings/patterns" />
    </v-list>
  </v-menu>
  <PlanDialog v-model="plans" :plan="fitting.plan" @choose="emit('edit', { op: 'plan', plan: $event })" />
  <v-dialog v-model="keeping" max-width="440" aria-label="Keep the naming as a pattern">
    <v-card class="card">
      <h1>Keep the naming as a pattern</h1>
      <p class="quiet">It recognises other skeletons of the same convention by itself, and fills in all their parts.</p>
      <v-text-field v-model="name" label="Name of the pattern" autofocus @keydown.enter="makePattern" />
      <div class="choice" role="group" aria-label="Whose naming">
        <button :aria-pressed="side === 'target'" @click="side = 'target'">Of {{ character }}</button>
        <button :aria-pressed="side === 'source'" @click="side = 'source'">Of the source</button>
      </div>
      <div class="foot">
        <v-btn class="doing" :disabled="!name.trim()" @click="makePattern">Keep it</v-btn
        ><v-btn @click="keeping = false">Cancel</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.list {
  font-size: 14px;
}
.card {
  padding: 18px 22px;
  background: var(--panel);
  display: grid;
  gap: 12px;
}
.choice {
  justify-self: start;
}
.foot {
  display: flex;
  gap: 10px;
}
</style>
