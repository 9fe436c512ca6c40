<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { answer, client, type Schemas } from '@/api/client'
import { useChanges } from '@/stores/changes'
import type { Rule } from '@/stores/intake'
import { useMessages } from '@/stores/messages'
import { sameForm, type Wanted } from './deliveries'

type Profile = Schemas['DeliveryProfileOut']

/** How things go out to each receiver, by its name: taken, kept, and taken away. */
const props = defineProps<{ wanted: Wanted; rule: Rule | null }>()
const emit = defineEmits<{ take: [profile: Profile] }>()
const messages = useMessages()
const profiles = ref<Profile[]>([])
const naming = ref(false)
const name = ref('')
const form = computed(() => ({ wanted: props.wanted, rule: props.rule }))
/** The receiver to whom things go out as they are set now. */
const current = computed(() => profiles.value.find((profile) => sameForm(profile, form.value)))
/** The one that was taken last, whose form may have been changed since. */
const taken = ref<number | null>(null)
const changed = computed(() => profiles.value.find(({ id }) => !current.value && id === taken.value))

const load = async () => {
  profiles.value = await answer(client.GET('/api/deliveries/profiles')).catch(
    (problem) => (messages.fail(problem), profiles.value),
  )
}
onMounted(() => void load())
useChanges().on(['delivery'], load)

function take(event: Event) {
  const profile = profiles.value.find(({ id }) => id === Number((event.target as HTMLSelectElement).value))
  if (!profile) return
  taken.value = profile.id
  emit('take', profile)
}
async function keep(as: string) {
  const before = profiles.value.find((profile) => profile.name.toLowerCase() === as.trim().toLowerCase())
  const { style, pieces } = props.rule ?? {}
  const rule = style && pieces ? { style, pieces } : null
  try {
    const made = await send({ name: as, wanted: props.wanted, rule })
    taken.value = made.id
    naming.value = false
    name.value = ''
    const back = before && { label: 'Bring back what it was', run: () => void restore(before) }
    messages.say(before ? `${made.name} gets it so from now on.` : `${made.name} is kept as a receiver.`, back)
  } catch (problem) {
    messages.fail(problem)
  }
}
async function send(body: { name: string; wanted: Wanted; rule: Profile['rule'] | null }) {
  const made = await answer(client.PUT('/api/deliveries/profiles', { body: body as never }))
  await load()
  return made
}
const restore = ({ name, wanted, rule }: Profile) => send({ name, wanted, rule }).catch(messages.fail)
async function remove(profile: Profile) {
  try {
    await answer(
      client.DELETE('/api/deliveries/profiles/{profile_id}', { params: { path: { profile_id: profile.id } } }),
    )
    await load()
    messages.say(`${profile.name} is no receiver any more.`, {
      label: 'Bring it back',
      run: () => void restore(profile),
    })
  } catch (problem) {
    messages.fail(problem)
  }
}
</script>

<template>
  <div class="profiles">
    <label class="row">
      <span>For</span>
      <select :value="current?.id ?? ''" @change="take">
        <!-- Where the option that was chosen is gone, none would be. -->
        <option value="" disabled :selected="!current">
          {{ changed ? `${changed.name}, changed` : profiles.length ? 'as it is set here' : 'no receiver is kept yet' }}
        </option>
        <option v-for="profile in profiles" :key="profile.id" :value="profile.id">{{ profile.name }}</option>
      </select>
    </label>
    <div class="acts">
      <button v-if="changed" class="plain word" @click="keep(changed.name)">Keep it so for {{ changed.name }}</button>
      <button v-if="!current" class="plain word" :aria-expanded="naming" @click="naming = !naming">
        Keep for {{ changed ? 'another' : 'a receiver' }}
      </button>
      <button v-if="current" class="plain word" @click="remove(current)">Forget {{ current.name }}</button>
    </div>
    <form v-if="naming && !current" class="new" @submit.prevent="keep(name)">
      <input v-model="name" aria-label="Name of the receiver" maxlength="100" placeholder="who gets it" />
      <v-btn size="small" type="submit" :disabled="!name.trim()">Keep</v-btn>
    </form>
  </div>
</template>

<style scoped>
.profiles {
  display: grid;
  gap: 4px;
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}
.row > span {
  width: 92px;
  flex: none;
}
.row select {
  flex: 1;
  min-width: 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.new {
  display: flex;
  gap: 8px;
}
.new input {
  flex: 1;
  min-width: 0;
}
</style>
