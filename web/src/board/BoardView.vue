<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import { openFitting } from '@/fitting/open'
import ClipPlate from '@/library/ClipPlate.vue'
import { sameBody } from '@/stores/bodies'
import { useCast } from '@/stores/cast'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { stateOf, useRenditions } from '@/stores/renditions'
import { useRuns } from '@/stores/runs'

const library = useLibrary()
const cast = useCast()
const renditions = useRenditions()
const messages = useMessages()
const router = useRouter()
const working = ref(false)
onMounted(() => renditions.load().catch(messages.fail))

const open = computed(() =>
  library.present.flatMap((clip) =>
    cast.present
      .filter((one) => {
        if (!sameBody(clip, one)) return false
        const row = renditions.of(clip.id, one.id)
        const { kind } = stateOf(row)
        return !['good', 'look', 'busy'].includes(kind) && (kind !== 'wrong' || !!row?.sentence)
      })
      .map((one) => ({ clip: clip.id, character: one.id })),
  ),
)
async function transferOpen() {
  working.value = true
  for (const cell of open.value) await renditions.make(cell.clip, cell.character).catch(messages.fail)
  working.value = false
  await useRuns().refresh()
}
const look = (clip: number, character: number) => openFitting(router, clip, character).catch(messages.fail)
</script>

<template>
  <div v-if="library.loaded && cast.loaded && (!library.present.length || !cast.present.length)" class="view">
    <div class="empty">
      <h1>The board is empty</h1>
      <p>Here stand the clips against the characters, one cell for each rendition. It needs at least one of both.</p>
      <v-btn v-if="!library.present.length" class="doing" to="/library">Bring in motion</v-btn>
      <v-btn v-else class="doing" to="/cast">Bring in a character</v-btn>
    </div>
  </div>
  <div v-else-if="library.loaded && cast.loaded" class="view">
    <section class="board">
      <div class="bar">
        <h1>Board</h1>
        <span class="quiet">Clips against characters. Open a cell to see it move.</span>
        <span class="space"></span>
        <v-btn :class="{ doing: open.length }" :disabled="!open.length || working" @click="transferOpen">
          {{ open.length ? `Transfer the ${open.length} open ${open.length === 1 ? 'cell' : 'cells'}` : 'All cells are up to date' }}
        </v-btn>
      </div>
      <div class="sheet">
        <table>
          <thead>
            <tr><th></th><th v-for="one in cast.present" :key="one.id" scope="col">{{ one.name }}</th></tr>
          </thead>
          <tbody>
            <tr v-for="clip in library.present" :key="clip.id">
              <th scope="row"><div class="clip"><span class="plate"><ClipPlate :clip="clip" /></span><span>{{ clip.name }}</span></div></th>
              <td v-for="one in cast.present" :key="one.id">
                <span v-if="!sameBody(clip, one) && !renditions.of(clip.id, one.id)" class="cell other" :title="one.plan ? 'another body plan' : 'no part of its body was recognised by name'">—</span>
                <button v-else class="plain cell" :class="stateOf(renditions.of(clip.id, one.id)).kind" @click="look(clip.id, one.id)">
                  <span aria-hidden="true">{{ stateOf(renditions.of(clip.id, one.id)).mark }}</span> {{ stateOf(renditions.of(clip.id, one.id)).word }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  </div>
</template>

<style scoped>
.board { flex: 1; min-width: 0; display: flex; flex-direction: column; }
.bar { display: flex; align-items: center; gap: 16px; padding: 12px 20px; }
.space { flex: 1; }
.sheet { overflow: auto; padding: 0 20px 20px; }
table { border-collapse: collapse; background: var(--panel); border: 1px solid var(--hairline); }
th, td { border: 1px solid var(--hairline); padding: 0; font-weight: 400; }
thead th { padding: 8px 14px; font-weight: 500; }
tbody th { text-align: left; }
.clip { display: flex; align-items: center; gap: 14px; padding: 6px 14px; min-width: 320px; }
.plate { width: 190px; height: 64px; flex: none; }
td { vertical-align: middle; }
.cell { min-width: 128px; height: 74px; width: 100%; padding: 0 16px; text-align: center; }
.cell:hover { background: rgb(var(--v-theme-surface-variant)); }
.cell.other { display: grid; place-items: center; color: var(--hairline); }
.cell.none { color: var(--quiet); }
.cell.wrong { color: var(--wrong); }
.cell.old, .cell.busy { font-style: italic; }
</style>
