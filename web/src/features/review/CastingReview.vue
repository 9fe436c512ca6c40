<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import { answer, client, type Schemas } from '@/api/client'
import type { EnsembleRow } from '@/features/ensembles/ensembles'
import MeetingTies from '@/features/ensembles/MeetingTies.vue'
import { useEnsembleStage, type Recorded } from '@/features/ensembles/useEnsembleStage'
import type { usePlayer } from '@/shared/player/player'
import PoseRibbon from '@/shared/player/PoseRibbon.vue'
import StageCanvas from '@/shared/player/StageCanvas.vue'
import TransportBar from '@/shared/player/TransportBar.vue'
import { withKey } from '@/shared/shortcuts/shortcuts'
import { useMessages } from '@/stores/messages'
import type { Rendition } from '@/stores/renditions'
import FindingRows from './FindingRows.vue'

/** The result of a casting: everybody and everything, with the recording over it or beside, and where they meet. */
const props = defineProps<{
  rendition: Rendition
  player: ReturnType<typeof usePlayer>
  frames: number
  fps: number
  findings: Schemas['FindingOut'][]
}>()
const emit = defineEmits<{ show: [frame: number, laid: boolean] }>()
const beside = defineModel<boolean>('beside', { required: true })
const mesh = defineModel<boolean>('mesh', { required: true })
const bones = defineModel<boolean>('bones', { required: true })
const recorded = ref(true)
const { frame, go } = props.player
const messages = useMessages()
const theme = useTheme()
const canvas = ref<HTMLCanvasElement>()
const { stage, ribbons, shown, loading, show, setFrame, arrange, dress, look, follow, close } = useEnsembleStage(canvas)
const ensemble = ref<EnsembleRow | null>(null)
const chosen = ref(0)
const made = computed(() => props.rendition.newest?.casting ?? null)
/** Why the recording is not shown beside it. */
const missing = ref('')
let framed = 0

async function display() {
  const { id, ensemble_id, newest } = props.rendition
  const result = made.value
  if (!ensemble_id || !newest || !result) return
  try {
    const path = { params: { path: { ensemble_id } } }
    const row = await answer(client.GET('/api/ensembles/{ensemble_id}', path))
    ensemble.value = row
    await nextTick()
    const same = row.first === result.first && row.last - row.first + 1 === newest.frames
    missing.value = same ? '' : 'The ensemble is of other frames since, so that the recording is not shown.'
    const before: Recorded | null =
      recorded.value && same
        ? {
            motion: `/api/renditions/${id}/source`,
            performers: row.people.map(({ name, skeleton_id }) => ({ name, skeleton: skeleton_id })),
            props: row.things.map(({ shapes }) => ({ shapes, size: result.space })),
          }
        : null
    const performed = {
      motion: `/api/renditions/${id}/motion`,
      performers: result.performers.map(({ name, character_id }) => ({ name, character: character_id })),
      props: result.props,
    }
    if (!(await show(before, performed, frame.value))) return
    place(framed !== id)
    dress(mesh.value, bones.value)
    framed = id
  } catch (problem) {
    messages.fail(problem)
  }
}
/** look: at all of them from in front, and not only where they stand. */
function place(again: boolean) {
  arrange(beside.value)
  if (again) look()
  follow()
}
defineExpose({ frameAll: () => place(true) })
watch([() => props.rendition.newest?.id, recorded], () => void display(), { immediate: true })
watch(
  () => theme.global.name.value,
  () => {
    close()
    framed = 0
    void display()
  },
  { flush: 'post' },
)
watch(frame, (now) => setFrame(now))
watch(beside, () => place(true))
watch([mesh, bones], () => dress(mesh.value, bones.value))
onBeforeUnmount(close)
</script>

<template>
  <div class="compare">
    <label><input v-model="recorded" type="checkbox" /> As recorded</label>
    <div class="choice" role="group" aria-label="How they stand">
      <button
        v-bind="withKey('Review', 'layout', 'Side by side')"
        :aria-pressed="beside"
        :disabled="!recorded"
        @click="beside = true"
      >
        Side by side
      </button>
      <button
        v-bind="withKey('Review', 'layout', 'Over each other')"
        :aria-pressed="!beside"
        :disabled="!recorded"
        @click="beside = false"
      >
        Over each other
      </button>
    </div>
    <label v-bind="withKey('Review', 'mesh')"><input v-model="mesh" type="checkbox" /> Mesh</label>
    <label v-bind="withKey('Review', 'bones')"><input v-model="bones" type="checkbox" /> Bones</label>
    <span v-if="recorded && missing" class="quiet">{{ missing }}</span>
  </div>
  <StageCanvas
    v-model:canvas="canvas"
    :stage="stage"
    :loading="loading ? 'Looking …' : ''"
    label="Everybody and everything of the casting, and the recording"
  />
  <FindingRows :findings="findings" :frame="frame" @show="(at, laid) => emit('show', at, laid)" />
  <TransportBar :player="player" :frames="frames" :fps="fps" />
  <PoseRibbon
    v-if="ribbons.length || ensemble"
    :frames="frames"
    :fps="fps"
    :frame="frame"
    :rows="ribbons"
    :expected="ensemble?.performers.length ?? 0"
    :shown="shown"
    :findings="findings"
    @frame="go"
  />
  <MeetingTies
    v-if="ensemble && made"
    :row="ensemble"
    :measures="made.measures"
    :frames="frames"
    :frame="frame"
    :chosen="chosen"
    fixed
    @choose="chosen = $event"
  />
</template>

<style scoped>
.compare {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 18px 8px;
  flex-wrap: wrap;
  background: var(--panel);
  font-size: 14px;
  border-bottom: 1px solid var(--hairline);
}
label {
  display: inline-flex;
  gap: 5px;
  align-items: center;
  min-height: 24px;
}
</style>
