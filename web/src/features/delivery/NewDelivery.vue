<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { answer, client, type Schemas } from '@/api/client'
import StateMark from '@/features/board/StateMark.vue'
import NamingRule from '@/features/library/NamingRule.vue'
import type { State } from '@/stores/board'
import { useChoice } from '@/stores/choice'
import type { Rule } from '@/stores/intake'
import { useMessages } from '@/stores/messages'
import { fetchArchive, KINDS, UPS, USUAL, type Wanted } from './deliveries'

/** What goes out, in which form, under which names: all of it seen before it goes. */
const PLACE = 'armuto.delivery'
const choice = useChoice()
const messages = useMessages()
const router = useRouter()
const kept = (() => {
  try {
    return JSON.parse(localStorage.getItem(PLACE) ?? '{}') as Partial<Wanted>
  } catch {
    return {}
  }
})()
const wanted = ref<Wanted>({ ...USUAL, ...kept })
const name = ref('')
const rule = ref<Rule | null>(null)
const plan = ref<Schemas['Planned'] | null>(null)
const thinned = ref<Schemas['Thinned'] | null>(null)
const measuring = ref(false)
const working = ref(false)
const everything = ref(false)

const holdsMesh = computed(() => ['glb', 'dae', 'usd'].includes(wanted.value.kind))
const ups = computed(() => UPS[wanted.value.kind] ?? [])
const cells = computed(() => (choice.cells.length ? choice.cells : null))
const said = computed(() => ({ cells: everything.value ? all.value : cells.value, wanted: { ...wanted.value } as Record<string, unknown>, name: name.value }))
const all = ref<[number, number][]>([])
const going = computed(() => plan.value?.rows.filter((row) => !row.left_out) ?? [])
const clashes = computed(() => going.value.filter((row) => row.clash).length)
const newest = computed(() => going.value.filter((row) => row.which === 'newest').length)
const stale = computed(() => going.value.filter((row) => row.state === 'out of date').length)

watch(ups, (able) => {
  if (able.length && !able.includes(wanted.value.up)) wanted.value.up = '+Y'
}, { immediate: true })

let asked = 0
let waiting: ReturnType<typeof setTimeout> | undefined
async function look() {
  const own = ++asked
  try {
    const found = await answer(client.POST('/api/deliveries/plan', { body: said.value }))
    if (own === asked) plan.value = found
  } catch (problem) {
    if (own === asked) messages.fail(problem)
  }
}
watch([wanted, name, everything], () => {
  localStorage.setItem(PLACE, JSON.stringify(wanted.value))
  clearTimeout(waiting)
  waiting = setTimeout(() => void look(), 120)
}, { deep: true })
watch(() => [wanted.value.kind, JSON.stringify(wanted.value.thinned), wanted.value.fps, plan.value?.rows.length], async () => {
  thinned.value = null
  if (!wanted.value.thinned || wanted.value.kind !== 'glb' || !plan.value?.rows.length) return
  measuring.value = true
  const told = JSON.stringify(wanted.value)
  const found = await answer(client.POST('/api/deliveries/thinned', { body: said.value })).catch(() => null)
  if (told === JSON.stringify(wanted.value)) {
    thinned.value = found
    measuring.value = false
  }
})
/** Told one after another, so that the last word is the one that stays. */
let ruling: Promise<unknown> = Promise.resolve()
function setRule(style: string, pieces: Rule['pieces']) {
  rule.value = { ...(rule.value as Rule), style, pieces }
  ruling = ruling.then(() => answer(client.PUT('/api/deliveries/rule', { body: { style, pieces } }))).then(look).catch(messages.fail)
}
async function takeAll() {
  const rows = await answer(client.POST('/api/renditions/queue', { body: { cells: null, everything: true } }))
  all.value = rows.map((row) => [row.clip_id, row.character_id])
  everything.value = true
}
async function deliver() {
  working.value = true
  try {
    const made = await answer(client.POST('/api/deliveries/', { body: said.value }))
    fetchArchive(made.id)
    await router.push('/delivery')
    messages.say(`${made.name}: ${made.files === 1 ? 'one file goes' : `${made.files} files go`} out.`)
  } catch (problem) {
    messages.fail(problem)
  }
  working.value = false
}
function thin(on: boolean) {
  wanted.value.thinned = on ? { degrees: 0.5, centimetres: 0.2 } : null
}
onMounted(async () => {
  try {
    rule.value = (await answer(client.GET('/api/deliveries/rule'))) as Rule
    await look()
    // Nothing is accepted yet: then what there is can go out all the same.
    if (!cells.value && !plan.value?.rows.length) await takeAll()
  } catch (problem) {
    messages.fail(problem)
  }
})
</script>

<template>
  <div class="view">
    <aside class="pane options" aria-label="How it goes out">
      <h1>New delivery</h1>
      <label class="row"><span>Name</span><input v-model="name" :placeholder="plan?.name ?? 'delivery'" maxlength="100" /></label>
      <fieldset>
        <legend>Format</legend>
        <div class="choice">
          <button v-for="(word, kind) in KINDS" :key="kind" :aria-pressed="wanted.kind === kind" @click="wanted.kind = kind">{{ word }}</button>
        </div>
        <label v-if="holdsMesh" class="tick"><input v-model="wanted.mesh" type="checkbox" /> with the character's mesh</label>
        <label v-if="wanted.kind === 'glb'" class="tick"><input v-model="wanted.together" type="checkbox" /> all clips of a character in one file</label>
        <template v-if="ups.length">
          <label class="row"><span>Unit</span><select v-model="wanted.unit"><option v-for="one in ['cm', 'm', 'mm', 'inch', 'foot', 'dm']" :key="one">{{ one }}</option></select></label>
          <label class="row"><span>Up</span><select v-model="wanted.up"><option v-for="one in ups" :key="one">{{ one }}</option></select></label>
        </template>
        <p v-else class="quiet">Metres, +Y up, as the format has it.</p>
      </fieldset>
      <fieldset>
        <legend>Frames</legend>
        <label class="row"><span>Frame rate</span><select v-model="wanted.fps"><option :value="null">each clip's own</option><option v-for="one in [24, 25, 30, 48, 50, 60, 120]" :key="one" :value="one">{{ one }} fps</option></select></label>
        <label class="row"><span>First frame</span><input v-model.number="wanted.first" type="number" min="0" max="1000000" /></label>
        <p v-if="wanted.kind === 'bvh' && wanted.first" class="quiet">BVH does not number frames; the manifest says it.</p>
        <label class="row"><span>Travel</span><select v-model="wanted.travel"><option value="as made">as it was made</option><option value="in place">in place</option><option value="root">on a root bone</option></select></label>
      </fieldset>
      <fieldset :disabled="wanted.kind !== 'glb'">
        <legend>Keys</legend>
        <label class="tick"><input type="checkbox" :checked="!!wanted.thinned" @change="thin(($event.target as HTMLInputElement).checked)" /> thin them out</label>
        <p v-if="wanted.kind !== 'glb'" class="quiet">{{ KINDS[wanted.kind] }} has a key on every frame.</p>
        <template v-else-if="wanted.thinned">
          <label class="row"><span>off by at most</span><input v-model.number="wanted.thinned.degrees" type="number" min="0.01" max="45" step="0.1" />°</label>
          <label class="row"><span>and</span><input v-model.number="wanted.thinned.centimetres" type="number" min="0.01" max="45" step="0.1" />cm</label>
          <p v-if="thinned" class="measured">{{ thinned.clip }} on {{ thinned.character }}: <span class="mono">{{ Math.round((thinned.keys / thinned.of) * 100) }} %</span> of the keys stay, off by at most <span class="mono">{{ thinned.degrees.toFixed(2) }}°</span> and <span class="mono">{{ thinned.centimetres.toFixed(2) }} cm</span>.</p>
          <p v-else-if="measuring" class="quiet" role="status">Measuring …</p>
        </template>
      </fieldset>
      <label class="tick"><input v-model="wanted.fittings" type="checkbox" /> the fittings go along, as JSON</label>
    </aside>
    <section class="what">
      <div v-if="plan && !plan.rows.length" class="empty">
        <h1>Nothing to deliver yet</h1>
        <p>Transfer clips on the board first; what is accepted goes out by itself.</p>
        <v-btn class="doing" to="/board">To the board</v-btn>
      </div>
      <template v-else-if="plan">
        <div class="bar">
          <span><strong>{{ going.length === 1 ? 'One result' : `${going.length} results` }}</strong> in {{ plan.files === 1 ? 'one file' : `${plan.files} files` }}<template v-if="choice.cells.length">, as swept on the board</template><template v-else-if="!everything">, all that are accepted · <button class="plain word" @click="takeAll">all results instead</button></template></span>
          <span class="space"></span>
          <v-btn to="/delivery">Back</v-btn>
          <v-btn class="doing" :disabled="!going.length || working" @click="deliver">Deliver {{ plan.files === 1 ? 'one file' : `${plan.files} files` }}</v-btn>
        </div>
        <div v-if="rule && !(wanted.together && wanted.kind === 'glb')" class="naming"><NamingRule :rule="rule" :sample="going[0]?.file" @change="setRule" /></div>
        <p v-if="clashes" class="note">{{ clashes }} names would be the same by this rule, so that numbers were added; take another field in to tell them apart.</p>
        <p v-if="newest" class="note quiet">{{ newest === going.length ? 'None of them is accepted yet' : `${newest} of them are not accepted` }}; the newest result goes out.</p>
        <p v-if="stale" class="note quiet">{{ stale === 1 ? 'One of them is' : `${stale} of them are` }} out of date: something has changed since.</p>
        <div class="sheet">
          <table>
            <thead><tr><th>file</th><th>clip</th><th>character</th><th>state</th></tr></thead>
            <tbody>
              <tr v-for="row in plan.rows" :key="`${row.clip_id}.${row.character_id}`">
                <td class="mono" :class="{ clash: row.clash }">{{ row.file || '—' }}</td>
                <td>{{ row.clip }}<span v-if="row.left_out" class="out">{{ row.left_out }}</span></td>
                <td>{{ row.character }}</td>
                <td><span class="state"><StateMark :state="row.which === 'accepted' ? 'accepted' : (row.grade as State)" /> {{ row.which === 'accepted' ? 'accepted' : row.grade }}</span></td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </section>
  </div>
</template>

<style scoped>
.options { width: 344px; padding: 14px 18px; display: grid; gap: 14px; align-content: start; font-size: 14px; }
fieldset { border: 0; border-top: 1px solid var(--hairline); padding: 8px 0 0; display: grid; gap: 7px; min-width: 0; }
fieldset:disabled .tick { opacity: 0.5; }
legend { font-weight: 500; padding-right: 8px; }
.choice { flex-wrap: wrap; }
.choice button { padding: 3px 9px; }
.row { display: flex; gap: 8px; align-items: center; }
.row > span { width: 92px; flex: none; }
.row input, .row select { border: 1px solid var(--hairline); border-radius: 3px; background: var(--paper); color: inherit; font: inherit; padding: 2px 8px; min-height: 28px; flex: 1; min-width: 0; }
.row input[type='number'] { flex: 0 1 96px; }
.tick { display: flex; gap: 7px; align-items: center; min-height: 24px; }
.measured { border-left: 3px solid var(--ink); padding-left: 9px; }
.what { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; gap: 10px; align-items: center; padding: 11px 20px; }
.space { flex: 1; }
.naming { padding: 0 20px 8px; }
.note { padding: 0 20px 6px; font-size: 14px; }
.note:not(.quiet), .clash { color: var(--wrong); }
.sheet { flex: 1; min-height: 0; overflow: auto; border-top: 1px solid var(--hairline); background: var(--panel); }
table { border-collapse: collapse; width: 100%; font-size: 14px; }
th { text-align: left; font-weight: 400; color: var(--quiet); position: sticky; top: 0; background: var(--panel); }
th, td { padding: 5px 20px; border-bottom: 1px solid var(--hairline); }
.state { display: inline-flex; gap: 6px; align-items: center; }
.out { display: block; color: var(--wrong); }
strong { font-weight: 500; }
@media (max-width: 1150px) { .options { width: 300px; } }
</style>
