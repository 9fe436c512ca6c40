<script setup lang="ts">
import { ref, watch } from 'vue'

import { answer, client } from '@/api/client'
import { useLatest } from '@/shared/useLatest'
import { useIntake, type Rule } from '@/stores/intake'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import NamingRule from './NamingRule.vue'

/** Renaming many clips by a rule, with all new names in sight before anything is renamed. */
const props = defineProps<{ ids: number[] }>()
const open = defineModel<boolean>({ required: true })
const library = useLibrary()
const messages = useMessages()
const rule = ref<Rule | null>(null)
const names = ref<Record<string, string>>({})

watch(open, async (now) => {
  if (!now) return
  const intake = useIntake()
  if (!intake.rule) await intake.loadRule().catch(messages.fail)
  rule.value = intake.rule
  await look()
})
async function ask(apply: boolean) {
  const body = { ids: props.ids, style: rule.value!.style, pieces: rule.value!.pieces, apply }
  return answer(client.POST('/api/library/names', { body }))
}
/** Another style is chosen faster than names are answered. */
const latest = useLatest()
async function look() {
  if (!rule.value) return
  await latest(
    () => ask(false).catch((problem) => (messages.fail(problem), {})),
    (answer) => (names.value = answer),
  )
}
async function change(style: string, pieces: Rule['pieces']) {
  rule.value = { ...rule.value!, style, pieces }
  await look()
}
async function rename() {
  const before = new Map(props.ids.map((id) => [id, library.clip(id)?.name ?? '']))
  try {
    const given = await ask(true)
    await library.load()
    open.value = false
    messages.say(`${before.size === 1 ? 'One clip' : `${before.size} clips`} renamed.`, {
      label: 'Undo',
      run: async () => {
        const body = [...before].map(([id, name]) => ({ id, was: given[id], name }))
        await answer(client.PUT('/api/library/names', { body }))
        await library.load()
      },
    })
  } catch (problem) {
    messages.fail(problem)
  }
}
</script>

<template>
  <v-dialog v-model="open" max-width="760" aria-label="Rename by a rule">
    <v-card v-if="rule" class="card">
      <h1>Rename by a rule</h1>
      <NamingRule :rule="rule" @change="change" />
      <div class="list">
        <div v-for="id in ids" :key="id" class="pair">
          <span class="quiet">{{ library.clip(id)?.name }}</span><span
            class="mono"
            :class="{ same: names[id] === library.clip(id)?.name }"
            >{{ names[id] ?? '…' }}</span
          >
        </div>
      </div>
      <div class="foot">
        <v-btn @click="open = false">Cancel</v-btn
        ><v-btn class="doing" @click="rename">Rename {{ ids.length === 1 ? 'one clip' : `${ids.length} clips` }}</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 20px 24px;
  background: var(--panel);
  display: grid;
  gap: 14px;
}
.list {
  max-height: 46vh;
  overflow-y: auto;
  border-top: 1px solid var(--hairline);
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 16px;
  padding: 4px 2px;
  border-bottom: 1px solid var(--hairline);
}
.same {
  color: var(--quiet);
}
.foot {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
</style>
