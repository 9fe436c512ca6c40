<script setup lang="ts">
import { computed, ref } from 'vue'

import FileButton from '@/shared/frame/FileButton.vue'
import { useMessages } from '@/stores/messages'
import { useRecipes, type KeptRecipe } from '@/stores/recipes'
import type { Recipe } from './recipe'

/** Recipes under a name: this one kept, another one taken, files out and in. */
const props = defineProps<{ recipe: Recipe }>()
const emit = defineEmits<{ take: [recipe: Recipe] }>()
const recipes = useRecipes()
const messages = useMessages()
const name = ref('')
const taken = computed(() => recipes.rows.some((row) => row.name === name.value.trim()))
const opened = (open: boolean) => open && void recipes.load().catch(messages.fail)

async function keep() {
  const called = name.value.trim()
  if (!called) return
  try {
    await recipes.keep(called, props.recipe, taken.value)
    name.value = ''
    messages.say(`Kept as “${called}”; the library can use it for many clips at once.`)
  } catch (problem) {
    messages.fail(problem)
  }
}
async function bringIn(files: File[]) {
  for (const file of files) await recipes.bringIn(file).catch(messages.fail)
}
async function remove(row: KeptRecipe) {
  try {
    await recipes.remove(row.id)
    const again = () => recipes.keep(row.name, row.recipe).catch(messages.fail)
    messages.say(`“${row.name}” is no longer kept.`, { label: 'Undo', run: again })
  } catch (problem) {
    messages.fail(problem)
  }
}
</script>

<template>
  <v-menu :close-on-content-click="false" @update:model-value="opened">
    <template #activator="{ props: menu }">
      <button class="plain word" v-bind="menu">Kept recipes</button>
    </template>
    <v-card class="kept" role="group" aria-label="Kept recipes">
      <form v-if="recipe.steps.length" @submit.prevent="keep">
        <input v-model="name" placeholder="a name for this recipe" aria-label="Name to keep the recipe under" />
        <v-btn size="small" type="submit" :disabled="!name.trim()">{{ taken ? 'Replace' : 'Keep' }}</v-btn>
      </form>
      <p v-if="!recipes.rows.length" class="quiet">No recipe is kept yet.</p>
      <div v-for="row in recipes.rows" :key="row.id" class="row">
        <span
          >{{ row.name }} <span class="quiet">{{ row.recipe.steps.length }} steps</span></span
        >
        <button class="plain word" @click="emit('take', row.recipe)">use</button>
        <a class="word" :href="`/api/library/recipes/${row.id}/file`" :download="`${row.name}.json`">file</a>
        <button class="plain word" :aria-label="`Remove ${row.name}`" @click="remove(row)">remove</button>
      </div>
      <FileButton label="From a file" accept=".json" @files="bringIn" />
    </v-card>
  </v-menu>
</template>

<style scoped>
.kept {
  padding: 12px 14px;
  background: var(--panel);
  display: grid;
  gap: 6px;
  min-width: 300px;
  font-size: 14px;
}
form,
.row {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.row > span {
  flex: 1;
}
input {
  flex: 1;
  border: 1px solid var(--hairline);
  background: var(--paper);
  color: inherit;
  font: inherit;
  border-radius: 3px;
  padding: 3px 7px;
  min-height: 30px;
}
</style>
