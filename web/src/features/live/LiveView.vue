<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'

import StageCanvas from '@/shared/player/StageCanvas.vue'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'
import { asked, useAddress } from '@/shared/useAddress'
import { useCast, type Character } from '@/stores/cast'
import { useChanges } from '@/stores/changes'
import { useMessages } from '@/stores/messages'
import { useSources } from '@/stores/sources'
import { rolesFrom, rolesTo, type Role } from './liveMessages'
import LivePane from './LivePane.vue'
import StageChoice from './StageChoice.vue'
import { useLiveConnection } from './useLiveConnection'
import { useLiveStage } from './useLiveStage'

/** Characters of the cast perform what a stage streams, as it comes; a stretch of it is kept as a take. */
const cast = useCast()
const sources = useSources()
const messages = useMessages()
const route = useRoute()
const canvas = ref<HTMLCanvasElement>()
const at = ref(Number(route.query.source) || 0)
const roles = ref<Role[]>(rolesFrom(asked(route.query.roles)))
const onTheSpot = ref(route.query.spot === 'yes')
useAddress({
  source: () => String(at.value || ''),
  roles: () => rolesTo(roles.value),
  spot: () => (onTheSpot.value ? 'yes' : ''),
})
const stages = computed(() => sources.rows.filter(({ kind }) => kind === 'stage'))
const source = computed(() => stages.value.find(({ id }) => id === at.value) ?? stages.value[0])
const sourceId = computed(() => source.value?.id ?? null)

const connection = useLiveConnection(sourceId, roles, (character, frame) => show(character, frame))
const fps = computed(() => connection.state.value?.fps ?? 0)
/** Everybody who performs, once, in the order in which they were chosen. */
const characters = computed(() =>
  [...new Set(roles.value.map(({ character }) => character))]
    .map((id) => cast.character(id))
    .filter((character): character is Character => !!character && !character.retired),
)
const { stage, loading, problem, delays, show, frameAll } = useLiveStage(
  canvas,
  characters,
  fps,
  onTheSpot,
  connection.now,
)

/** A character performs what one performer does; choosing it for another lets it go there. */
function give(character: number, performer: number) {
  roles.value = [...roles.value.filter((role) => role.character !== character), { character, performer }]
}
function release(character: number) {
  roles.value = roles.value.filter((role) => role.character !== character)
}
const recording = computed(() => connection.state.value?.recording ?? null)
const canRecord = computed(() => connection.state.value?.performers.some(({ recognised }) => recognised) ?? false)
function record() {
  if (canRecord.value) connection.record(recording.value === null)
}
watch(connection.kept, ([newest], before) => {
  if (newest && connection.kept.value.length > before.length) messages.announce(`${newest.name} was kept.`)
})
useShortcuts('Live', { record, spot: () => (onTheSpot.value = !onTheSpot.value), frameAll })
const load = () => sources.load().catch(messages.fail)
useChanges().on(['sources'], load)
onMounted(load)
</script>

<template>
  <div v-if="cast.loaded && sources.loaded" class="view">
    <section class="workspace" aria-label="Live">
      <div class="bar">
        <h1>Live</h1>
        <router-link class="way quiet" to="/cast">Cast</router-link>
        <div class="choice" role="group" aria-label="Where the figures are">
          <button :aria-pressed="!onTheSpot" @click="onTheSpot = false">As they go</button>
          <button :aria-pressed="onTheSpot" @click="onTheSpot = true">On the spot</button>
        </div>
        <span class="space" />
        <v-btn class="doing" :disabled="!canRecord" :aria-pressed="recording !== null" @click="record">{{
          recording === null ? 'Record' : 'End the recording'
        }}</v-btn>
      </div>
      <StageCanvas
        v-model:canvas="canvas"
        :stage="stage"
        label="The characters that perform live"
        :loading="problem || loading"
      >
        <p v-if="!characters.length" class="hint quiet">
          Nobody performs yet: choose a character for a performer of the stage.
        </p>
        <p v-if="recording !== null" class="recording mono" role="status">
          <span class="dot" aria-hidden="true" />recording, {{ recording.toFixed(0) }} s
        </p>
      </StageCanvas>
    </section>
    <aside class="pane side" aria-label="The stage and who performs">
      <StageChoice :stages="stages" :here="source" @choose="(id) => (at = id)" />
      <LivePane
        v-if="source"
        :state="connection.state.value"
        :problem="connection.problem.value"
        :roles="roles"
        :delays="delays"
        :kept="connection.kept.value"
        @give="give"
        @release="release"
      />
    </aside>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 12px 20px;
}
.side {
  width: 318px;
  border-right: 0;
  border-left: 1px solid var(--hairline);
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.hint,
.recording {
  position: absolute;
  left: 20px;
  top: 12px;
}
.recording {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 3px 12px;
  border: 1px solid var(--wrong);
  border-radius: 3px;
  background: var(--panel);
}
.dot {
  width: 10px;
  height: 10px;
  border-radius: 50%;
  background: var(--wrong);
}
</style>
