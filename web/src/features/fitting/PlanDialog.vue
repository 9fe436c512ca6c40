<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'

/** The body plans: choose the one to pair by, copy one and change its limbs. */
const props = defineProps<{ plan: string }>()
const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ choose: [plan: string] }>()
const messages = useMessages()
const plans = ref<Schemas['PlanOut'][]>([])
const at = ref('')
const copyName = ref('')
const limb = ref({ name: '', follows: 'hips', sided: false, bones: '', many: false })
const here = computed(() => plans.value.find((row) => row.name === at.value))

async function load(wanted = props.plan) {
  plans.value = await answer(client.GET('/api/patterns/plans')).catch((problem) => (messages.fail(problem), []))
  at.value = plans.value.some((row) => row.name === wanted) ? wanted : (plans.value[0]?.name ?? '')
}
watch(open, (now) => now && load())
useChanges().on(['patterns'], () => open.value && load(at.value))

/** Change a plan; made again where somebody else was before, it is made whatever they did. */
const attempt = (work: (again: boolean) => Promise<Schemas['PlanOut'] | undefined>) =>
  messages.attempt(
    async (again) => load((await work(again))?.name),
    () => load(at.value),
  )
async function copy() {
  const name = copyName.value.trim() || `${at.value}, my own`
  if (await attempt(() => answer(client.POST('/api/patterns/plans', { body: { copy_of: at.value, name } }))))
    copyName.value = ''
}
const params = (id: number) => ({ params: { path: { plan_id: id } } })
function change(body: Schemas['PlanChange']) {
  const { id, lock_version } = here.value!
  return attempt((again) => {
    const headers = onVersion(again ? undefined : lock_version)
    return answer(client.PATCH('/api/patterns/plans/{plan_id}', { ...params(id!), headers, body }))
  })
}
async function add() {
  const names = limb.value.many
    ? [limb.value.name]
    : limb.value.bones
        .split(',')
        .map((part) => part.trim())
        .filter(Boolean)
  const { name, follows, sided, many } = limb.value
  if (await change({ add: { name, follows, sided, parts: names.map((part) => ({ name: part, many })) } }))
    limb.value = { name: '', follows: 'hips', sided: false, bones: '', many: false }
}
function remove() {
  const { id, lock_version } = here.value!
  return attempt(async (again) => {
    const headers = onVersion(again ? undefined : lock_version)
    await answer(client.DELETE('/api/patterns/plans/{plan_id}', { ...params(id!), headers }))
    return undefined
  })
}
function use() {
  open.value = false
  if (at.value !== props.plan) emit('choose', at.value)
}
</script>

<template>
  <v-dialog v-model="open" max-width="640" aria-label="Body plans">
    <v-card class="card">
      <h1>Body plans</h1>
      <div class="two">
        <ul role="listbox" aria-label="Body plans">
          <li v-for="row in plans" :key="row.name" role="option" :aria-selected="row.name === at">
            <button class="plain" :class="{ here: row.name === at }" @click="at = row.name">
              {{ row.name }}<span v-if="row.name === plan" class="quiet"> in use</span>
            </button>
          </li>
        </ul>
        <section v-if="here" :aria-label="`Limbs of ${here.name}`">
          <table>
            <tbody>
              <tr v-for="branch in here.limbs" :key="branch.name">
                <td>{{ branch.name }}<span v-if="branch.sided" class="quiet"> left and right</span></td>
                <td class="quiet">{{ branch.parts.join(', ') }}</td>
                <td>
                  <button
                    v-if="here.own && branch.name !== 'trunk'"
                    class="plain word"
                    :aria-label="`Take away ${branch.name}`"
                    @click="change({ remove: branch.name })"
                  >
                    Take away
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
          <form v-if="here.own" class="add" aria-label="Add a limb" @submit.prevent="add">
            <label>Limb <input v-model="limb.name" required placeholder="fin" /></label>
            <label
              >hangs from
              <select v-model="limb.follows">
                <option v-for="part in here.parts" :key="part">{{ part }}</option>
              </select></label
            >
            <label><input v-model="limb.sided" type="checkbox" /> on both sides</label>
            <label><input v-model="limb.many" type="checkbox" /> any number of bones in a row</label>
            <label v-if="!limb.many" class="wide"
              >Bones, from the trunk outwards <input v-model="limb.bones" required placeholder="upper fin, lower fin"
            /></label>
            <v-btn type="submit" size="small">Add the limb</v-btn>
          </form>
          <p v-else class="quiet">It comes with Armuto and stays as it is. Copy it to change its limbs.</p>
        </section>
      </div>
      <div class="foot">
        <v-btn class="doing" :disabled="!here" @click="use">{{ at === plan ? 'Done' : `Pair by “${at}”` }}</v-btn>
        <input v-model="copyName" aria-label="Name of the copy" :placeholder="`${at}, my own`" @keydown.enter="copy" />
        <v-btn :disabled="!here" @click="copy">Copy it</v-btn>
        <v-btn v-if="here?.own" @click="remove">Remove it</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.card {
  padding: 18px 22px;
  background: var(--panel);
  display: grid;
  gap: 12px;
}
.two {
  display: grid;
  grid-template-columns: 150px 1fr;
  gap: 18px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li button {
  width: 100%;
  padding: 4px 8px;
  border-radius: 3px;
  min-height: 28px;
}
li button.here {
  background: rgb(var(--v-theme-surface-variant));
}
section {
  max-height: 420px;
  overflow-y: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 13.5px;
}
td {
  padding: 3px 8px 3px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: top;
}
.add {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  margin-top: 12px;
  font-size: 14px;
  align-items: center;
}
.add input:not([type]),
.foot input {
  font: inherit;
  font-size: 14px;
  color: inherit;
  background: var(--panel);
  border: 1px solid var(--hairline);
  border-radius: 3px;
  padding: 3px 7px;
}
.add .wide {
  flex-basis: 100%;
}
.add .wide input {
  width: 60%;
}
.foot {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.foot input {
  width: 150px;
  min-height: 32px;
}
</style>
