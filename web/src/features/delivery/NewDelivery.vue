<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import NamingRule from '@/features/library/NamingRule.vue'
import type { State } from '@/stores/board'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { useMessages } from '@/stores/messages'
import { fetchArchive } from './deliveries'
import DeliveryOptions from './DeliveryOptions.vue'
import DeliveryProfiles from './DeliveryProfiles.vue'
import { useDeliveryPlan } from './useDeliveryPlan'

/** What goes out, in which form, under which names: all of it seen before it goes. */
const messages = useMessages()
const router = useRouter()
const { wanted, name, rule, plan, thinned, measuring, everything, swept, setRule, takeEverything, load, deliver } =
  useDeliveryPlan()
const working = ref(false)

const going = computed(() => plan.value?.rows.filter((row) => !row.left_out) ?? [])
const clashes = computed(() => going.value.filter((row) => row.clash).length)
const newest = computed(() => going.value.filter((row) => row.which === 'newest').length)
const stale = computed(() => going.value.filter((row) => row.state === 'out of date').length)
const files = computed(() => (plan.value?.files === 1 ? 'one file' : `${plan.value?.files} files`))
const isNamedByCharacter = computed(() => wanted.value.together && wanted.value.kind === 'glb')
const stateOf = (row: Schemas['Planned']['rows'][number]) =>
  (row.which === 'accepted' ? 'accepted' : row.grade) as State

function take({ wanted: form, rule: named }: Schemas['DeliveryProfileOut']) {
  wanted.value = { ...form }
  setRule(named.style, named.pieces)
}
async function send() {
  working.value = true
  try {
    const made = await deliver()
    fetchArchive(made.id)
    await router.push('/delivery')
    messages.say(`${made.name}: ${made.files === 1 ? 'one file goes' : `${made.files} files go`} out.`)
  } catch (problem) {
    messages.fail(problem)
  }
  working.value = false
}
useShortcuts('Delivery', { deliver: () => void (going.value.length && !working.value && send()) })
onMounted(() => void load().catch(messages.fail))
</script>

<template>
  <div class="view">
    <DeliveryOptions
      v-model:name="name"
      v-model:wanted="wanted"
      :castings="!!plan?.rows.some((row) => row.casting_id)"
      :usual-name="plan?.name ?? 'delivery'"
      :thinned="thinned"
      :measuring="measuring"
    >
      <DeliveryProfiles :wanted="wanted" :rule="rule" @take="take" />
    </DeliveryOptions>
    <section class="what">
      <div v-if="plan && !plan.rows.length" class="empty">
        <h1>Nothing to deliver yet</h1>
        <p>Transfer clips on the board first; what is accepted goes out by itself.</p>
        <v-btn class="doing" to="/board">To the board</v-btn>
      </div>
      <template v-else-if="plan">
        <div class="bar">
          <span>
            <strong>{{ going.length === 1 ? 'One result' : `${going.length} results` }}</strong> in {{ files
            }}<template v-if="swept">, as swept on the board</template
            ><template v-else-if="!everything"
              >, all that are accepted ·
              <button class="plain word" @click="takeEverything">all results instead</button></template
            >
          </span>
          <span class="space"></span>
          <v-btn to="/delivery">Back</v-btn>
          <v-btn
            class="doing"
            :disabled="!going.length || working"
            v-bind="withKey('Delivery', 'deliver', `Deliver ${files}`)"
            @click="send"
            >Deliver {{ files }}</v-btn
          >
        </div>
        <div v-if="rule && !isNamedByCharacter" class="naming">
          <NamingRule :rule="rule" :sample="going[0]?.file" @change="setRule" />
        </div>
        <p v-if="clashes" class="note">
          {{ clashes }} names would be the same by this rule, so that numbers were added; take another field in to tell
          them apart.
        </p>
        <p v-if="newest" class="note quiet">
          {{ newest === going.length ? 'None of them is accepted yet' : `${newest} of them are not accepted` }}; the
          newest result goes out.
        </p>
        <p v-if="stale" class="note quiet">
          {{ stale === 1 ? 'One of them is' : `${stale} of them are` }} out of date: something has changed since.
        </p>
        <div class="sheet">
          <table>
            <thead>
              <tr>
                <th>file</th>
                <th>clip</th>
                <th>character</th>
                <th>state</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in plan.rows" :key="`${row.clip_id}.${row.character_id}.${row.casting_id}`">
                <td class="mono" :class="{ clash: row.clash }">{{ row.file || '—' }}</td>
                <td>
                  {{ row.clip }}<span v-if="row.casting" class="quiet casting">{{ row.casting }}</span
                  ><span v-if="row.left_out" class="out">{{ row.left_out }}</span>
                </td>
                <td>{{ row.character }}</td>
                <td>
                  <span class="state"><StateMark :state="stateOf(row)" /> {{ stateOf(row) }}</span>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </section>
  </div>
</template>

<style scoped>
.what {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 11px 20px;
}
.naming {
  padding: 0 20px 8px;
}
.note {
  padding: 0 20px 6px;
  font-size: 14px;
}
.note:not(.quiet),
.clash {
  color: var(--wrong);
}
.sheet {
  flex: 1;
  min-height: 0;
  overflow: auto;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 14px;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
  position: sticky;
  top: 0;
  background: var(--panel);
}
th,
td {
  padding: 5px 20px;
  border-bottom: 1px solid var(--hairline);
}
.state {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.casting {
  display: block;
  font-size: 13px;
}
.out {
  display: block;
  color: var(--wrong);
}
strong {
  font-weight: 500;
}
</style>
