<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import FileButton from '@/shared/frame/FileButton.vue'
import UndoRedo from '@/shared/frame/UndoRedo.vue'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { inUnits } from '@/shared/units'
import { MOTION } from '@/stores/arrivals'
import { useIntake, type IntakeRow } from '@/stores/intake'
import { COMPANIONS } from '@/stores/uploads'
import IntakeRowItem from './IntakeRowItem.vue'
import NamingRule from './NamingRule.vue'

const intake = useIntake()
const loaded = ref(false)
const filling = ref(false)
let last = -1

useShortcuts('Intake', { undo: () => void intake.undo(), redo: () => void intake.redo() })
onMounted(async () => {
  await Promise.all([intake.refresh(), intake.loadRule()])
  loaded.value = true
})
const count = (n: number, singular: string, many = `${singular}s`) => (n === 1 ? `1 ${singular}` : `${n} ${many}`)
const total = computed(() => intake.rows.length)
const ticked = computed(() => intake.ticked.length)
const state = computed(() => {
  const s = intake.summary
  if (intake.sending.total)
    return {
      text: `Sending ${intake.sending.done} of ${intake.sending.total} files`,
      share: intake.sending.done / intake.sending.total,
    }
  if (s?.reading) {
    const all = s.reading + s.ready + s.refused
    return { text: `Reading, ${count(s.reading, 'file')} to go`, share: (all - s.reading) / all }
  }
  if (s?.accepting) {
    const done = intake.accepted - s.accepting
    return { text: `Taking in ${done} of ${intake.accepted}`, share: done / Math.max(1, intake.accepted) }
  }
  return null
})
const sample = computed(() => {
  const row = intake.ticked[0]
  return row ? (intake.names[row.id] ?? '') : ''
})
/** Tick one, or with Shift all from the last one on. */
function tick(row: IntakeRow, shift: boolean) {
  const at = intake.rows.indexOf(row)
  const wanted = !row.ticked
  const ids =
    shift && last >= 0
      ? intake.rows.slice(Math.min(at, last), Math.max(at, last) + 1).map((other) => other.id)
      : [row.id]
  last = at
  void intake.change(ids, { ticked: wanted })
}
const all = (on: boolean) =>
  intake.change(
    intake.rows.map((row) => row.id),
    { ticked: on },
  )
const field = ref('performer')
const value = ref('')
async function fill() {
  await intake.change(
    intake.ticked.map((row) => row.id),
    { fields: { [field.value]: value.value || null } },
  )
  filling.value = false
  value.value = ''
}
</script>

<template>
  <div v-if="loaded && !intake.files.length && !state" class="view">
    <div class="empty">
      <h1>Nothing waits for a decision</h1>
      <p>
        Bring in motion, one file or many, in a .zip or not. Each clip is laid out here with its plate and what was
        detected; nothing is kept before you accept it.
      </p>
      <FileButton
        label="Bring in motion"
        :accept="MOTION + COMPANIONS"
        doing
        @files="(files) => intake.bringIn(files, 'auto')"
      />
      <v-btn to="/library">To the library</v-btn>
    </div>
  </div>
  <div v-else-if="loaded" class="view">
    <section class="intake">
      <div class="bar">
        <h1>Intake</h1>
        <span class="quiet" role="status">{{ ticked }} of {{ count(total, 'clip') }} ticked</span>
        <button class="plain word" @click="all(true)">Tick all</button>
        <button class="plain word" @click="all(false)">None</button>
        <UndoRedo
          group="Intake"
          :undoable="intake.undoable"
          :redoable="intake.redoable"
          @undo="intake.undo()"
          @redo="intake.redo()"
        />
        <div v-if="state" class="state" role="status">
          <span>{{ state.text }}</span>
          <span class="line"><span :style="{ width: `${Math.round(state.share * 100)}%` }" /></span>
        </div>
        <span class="space" />
        <FileButton label="Add files" :accept="MOTION + COMPANIONS" @files="(files) => intake.bringIn(files, 'auto')" />
        <v-btn v-if="intake.summary?.accepting" @click="intake.stop()">Stop</v-btn>
        <v-btn v-else :disabled="!intake.files.length" @click="intake.dismiss()">Dismiss all</v-btn>
        <v-btn
          class="doing"
          :disabled="!ticked || !!intake.summary?.accepting"
          @click="intake.accept(intake.motion.map((file) => file.id))"
        >
          Accept {{ count(ticked, 'clip') }}
        </v-btn>
      </div>
      <div class="bar naming">
        <span class="quiet">Names</span>
        <NamingRule v-if="intake.rule" :rule="intake.rule" :sample="sample" @change="intake.setRule" />
        <span class="space" />
        <v-menu v-model="filling" :close-on-content-click="false">
          <template #activator="{ props: menu }"
            ><v-btn v-bind="menu" size="small" :disabled="!ticked">Fill in a field</v-btn></template
          >
          <v-card class="fill">
            <p>For all {{ count(ticked, 'ticked clip') }}:</p>
            <select v-model="field" aria-label="Field">
              <option v-for="name in ['performer', 'action', 'manner', 'prop', 'number']" :key="name">
                {{ name }}
              </option>
            </select>
            <input
              v-model="value"
              aria-label="Value"
              placeholder="empty: as read from the file name"
              @keydown.enter="fill"
            />
            <v-btn size="small" @click="fill">Fill in</v-btn>
          </v-card>
        </v-menu>
      </div>
      <ul v-if="intake.refused.length" class="refused">
        <li v-for="file in intake.refused" :key="file.id">
          <span class="mark" aria-hidden="true">✕</span><span class="text">{{ inUnits(file.sentence) }}</span>
          <button class="plain word" @click="intake.tell([file.id], {})">Try again</button>
          <button class="plain word" @click="intake.dismiss([file.id])">Dismiss</button>
        </li>
      </ul>
      <p v-if="intake.characters.length" class="note">
        {{ count(intake.characters.length, 'character') }} {{ intake.characters.length === 1 ? 'was' : 'were' }} found
        too.
        <router-link to="/cast">Look at {{ intake.characters.length === 1 ? 'it' : 'them' }} in the Cast</router-link>
      </p>
      <v-virtual-scroll :items="intake.rows" :item-height="124" class="rows" item-key="id">
        <template #default="{ item }"
          ><IntakeRowItem :key="item.id" :row="item" @tick="(shift) => tick(item, shift)"
        /></template>
      </v-virtual-scroll>
    </section>
  </div>
</template>

<style scoped>
.intake {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.bar {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 10px 20px;
}
.naming {
  padding-top: 0;
  border-bottom: 1px solid var(--hairline);
}
.state {
  display: grid;
  gap: 3px;
  min-width: 170px;
  font-size: 13.5px;
}
.line {
  height: 2px;
  background: var(--hairline);
}
.line span {
  display: block;
  height: 2px;
  background: var(--accent);
  transition: width 150ms;
}
.rows {
  flex: 1;
  min-height: 0;
}
.refused {
  list-style: none;
  margin: 0;
  padding: 6px 20px;
  border-bottom: 1px solid var(--hairline);
  max-height: 130px;
  overflow-y: auto;
  display: grid;
  gap: 4px;
}
.refused li {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.refused .mark {
  color: var(--wrong);
}
.refused .text {
  flex: 1;
  overflow-wrap: anywhere;
}
.note {
  padding: 8px 20px;
  border-bottom: 1px solid var(--hairline);
}
.fill {
  padding: 12px;
  display: flex;
  gap: 8px;
  align-items: center;
  background: var(--panel);
}
.fill input {
  border: 1px solid var(--hairline);
  background: var(--panel);
  color: inherit;
  font: inherit;
  font-size: 14px;
  border-radius: 3px;
  padding: 4px 7px;
  min-height: 30px;
}
.fill input {
  width: 250px;
}
@media (max-width: 1100px) {
  .bar {
    gap: 9px;
    padding: 8px 12px;
  }
}
</style>
