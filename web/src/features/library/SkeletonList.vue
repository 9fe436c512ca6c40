<script setup lang="ts">
import { computed } from 'vue'

import { answer, client } from '@/api/client'
import { onVersion } from '@/api/concurrency'
import DraftInput from '@/shared/fields/DraftInput.vue'
import { lengthText } from '@/shared/units'
import { useLibrary, type Clip, type LibrarySkeleton } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import ClipPlate from './ClipPlate.vue'

/** The skeletons of the library, to choose whose clips are shown, and the ways to where more come from and go to. */
const props = defineProps<{ present: Clip[] }>()
const skeleton = defineModel<number | null>('skeleton', { required: true })
const retired = defineModel<boolean>('retired', { required: true })
const library = useLibrary()
const messages = useMessages()

const counts = computed(() => {
  const out = new Map<number, number>()
  for (const clip of props.present) out.set(clip.skeleton_id, (out.get(clip.skeleton_id) ?? 0) + 1)
  return out
})
const retiredCount = computed(() => library.clips.filter((clip) => clip.retired).length)
const firstClip = (id: number) => library.clips.find((clip) => clip.skeleton_id === id && !clip.retired)

async function rename(body: LibrarySkeleton, event: Event) {
  const name = (event.target as HTMLInputElement).value
  if (name.trim() === body.name) return
  const path = { params: { path: { skeleton_id: body.id } } }
  const rename = (again: boolean) => {
    const headers = onVersion(again ? undefined : body)
    return answer(client.PATCH('/api/library/skeletons/{skeleton_id}', { ...path, headers, body: { name } }))
  }
  await messages.attempt((again) => rename(again).then(library.load), library.load)
}
</script>

<template>
  <aside class="pane skeletons" aria-label="Library skeletons">
    <h2>Library skeletons</h2>
    <button class="plain row" :aria-pressed="skeleton === null" @click="skeleton = null">
      <span class="all">All clips</span><span class="mono quiet">{{ present.length }}</span>
    </button>
    <div v-for="body in library.skeletons" :key="body.id" class="row" :class="{ here: skeleton === body.id }">
      <button
        class="plain small"
        :aria-pressed="skeleton === body.id"
        :aria-label="`Show the clips of ${body.name}`"
        @click="skeleton = skeleton === body.id ? null : body.id"
      >
        <ClipPlate v-if="firstClip(body.id)" :clip="firstClip(body.id)!" :pose="0" />
      </button>
      <span class="about">
        <DraftInput
          :value="body.name"
          :aria-label="`Name of the skeleton ${body.name}`"
          @change="rename(body, $event)"
          @keydown.enter="($event.target as HTMLInputElement).blur()"
        />
        <span class="quiet mono">{{ lengthText(body.height, 0) }}, {{ body.joints }} bones</span>
      </span>
      <span class="mono quiet">{{ counts.get(body.id) ?? 0 }}</span>
    </div>
    <span class="space" />
    <router-link class="word way" to="/library/sources">Sources</router-link>
    <router-link class="word way" to="/ensembles">Ensembles</router-link>
    <button class="plain word way" :aria-pressed="retired" @click="retired = !retired">
      {{ retired ? 'Back to the clips in use' : `Retired clips (${retiredCount})` }}
    </button>
  </aside>
</template>

<style scoped>
.skeletons {
  width: 248px;
  padding: 16px 12px;
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.skeletons h2 {
  padding: 0 6px 6px;
}
.row {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 7px 8px;
  border-radius: 3px;
  border-left: 2px solid transparent;
}
.row:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.row[aria-pressed='true'],
.row.here {
  border-left-color: var(--accent);
  background: rgb(var(--v-theme-surface-variant));
}
.row .all,
.row .about {
  flex: 1;
  display: grid;
  min-width: 0;
}
.about .quiet {
  font-size: 11.5px;
  white-space: nowrap;
}
.about input {
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid transparent;
  border-radius: 3px;
  min-width: 0;
  padding: 0 3px;
  margin-left: -4px;
}
.about input:hover,
.about input:focus {
  border-color: var(--hairline);
  background: var(--panel);
}
.small {
  width: 44px;
  height: 60px;
  flex: none;
}
.way {
  font-size: 13.5px;
  color: var(--quiet);
  padding: 4px 8px;
}
@media (max-width: 1100px) {
  .skeletons {
    width: 214px;
  }
}
</style>
