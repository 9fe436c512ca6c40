<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { spliceClips } from '@/features/splices/open'
import { useEnsembles } from '@/stores/ensembles'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import RecipeMenu from './RecipeMenu.vue'

/**
 * What can be done with all selected clips at once. ids: in the order in which they were ticked. shown: how many clips
 * there are to select.
 */
const props = defineProps<{ ids: number[]; shown: number; tags: string[]; retired: boolean }>()
const emit = defineEmits<{ selectAll: []; selectNone: []; rename: [] }>()
const library = useLibrary()
const messages = useMessages()
const router = useRouter()
const newTag = ref('')
const count = (ids: number[]) => (ids.length === 1 ? 'One clip' : `${ids.length} clips`)

const splicing = ref(false)
async function splice() {
  splicing.value = true
  try {
    await spliceClips(router, props.ids)
  } catch (problem) {
    messages.fail(problem)
  } finally {
    splicing.value = false
  }
}
const gathering = ref(false)
async function gather() {
  gathering.value = true
  try {
    const made = await useEnsembles().make(props.ids)
    await router.push(`/ensembles/${made.id}`)
  } catch (problem) {
    messages.fail(problem)
  } finally {
    gathering.value = false
  }
}
async function giveTag(tag: string) {
  if (tag.trim()) await library.changeMany(props.ids, { tag: [tag.trim()] }).catch(messages.fail)
}
async function giveNewTag() {
  await giveTag(newTag.value)
  newTag.value = ''
}
const takeTag = (tag: string) => library.changeMany(props.ids, { untag: [tag] }).catch(messages.fail)
async function retire(on: boolean) {
  const ids = props.ids
  await library.changeMany(ids, { retired: on }).catch(messages.fail)
  emit('selectNone')
  const undo = { label: 'Undo', run: () => library.changeMany(ids, { retired: !on }) }
  messages.say(`${count(ids)} ${on ? 'retired' : 'restored'}.`, undo)
}
</script>

<template>
  <div class="together" role="region" aria-label="Selected clips">
    <span>{{ count(ids) }} selected</span>
    <button class="plain word" @click="emit('selectAll')">All {{ shown }} shown</button>
    <button class="plain word" @click="emit('selectNone')">None</button>
    <span class="space" />
    <v-menu :close-on-content-click="false">
      <template #activator="{ props: menu }"><v-btn size="small" v-bind="menu">Tag</v-btn></template>
      <v-card class="tagging">
        <input
          v-model="newTag"
          placeholder="new tag"
          aria-label="Tag for the selected clips"
          @keydown.enter="giveNewTag"
        />
        <div v-for="tag in tags" :key="tag" class="tagrow">
          <span>{{ tag }}</span>
          <button class="plain word" @click="giveTag(tag)">give</button>
          <button class="plain word" @click="takeTag(tag)">take</button>
        </div>
      </v-card>
    </v-menu>
    <RecipeMenu :ids="ids" />
    <v-btn
      v-if="!retired"
      size="small"
      :disabled="ids.length < 2 || ids.length > 60 || splicing"
      title="Join them into one clip, in the order in which they were ticked"
      @click="splice"
      >Splice</v-btn
    >
    <v-btn
      v-if="!retired"
      size="small"
      :disabled="ids.length > 12 || gathering"
      title="Put them into one space, as they were recorded together"
      @click="gather"
      >Ensemble</v-btn
    >
    <v-btn size="small" @click="emit('rename')">Rename by a rule</v-btn>
    <v-btn v-if="retired" size="small" @click="retire(false)">Restore</v-btn>
    <v-btn v-else size="small" @click="retire(true)">Retire</v-btn>
  </div>
</template>

<style scoped>
.together {
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 8px 20px;
  border-top: 1px solid var(--hairline);
  background: var(--panel);
  font-size: 14px;
}
.tagging {
  padding: 10px 12px;
  background: var(--panel);
  display: grid;
  gap: 4px;
  min-width: 200px;
}
.tagging input {
  border: 1px solid var(--hairline);
  background: var(--panel);
  color: inherit;
  font: inherit;
  font-size: 14px;
  border-radius: 3px;
  padding: 3px 7px;
  min-height: 30px;
}
.tagrow {
  display: flex;
  gap: 10px;
  font-size: 14px;
}
.tagrow span {
  flex: 1;
}
</style>
