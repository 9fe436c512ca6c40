<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '@/api/client'
import { useLibrary } from '@/stores/library'
import { useMessages } from '@/stores/messages'
import { useRecipes } from '@/stores/recipes'

/** One recipe for many clips: clip by clip, with how far it has come and a way to stop. */
const props = defineProps<{ ids: number[] }>()
const library = useLibrary()
const recipes = useRecipes()
const messages = useMessages()
const through = ref<{ done: number; total: number } | null>(null)
let stopped = false
const opened = (open: boolean) => open && void recipes.load().catch(messages.fail)

type Recipe = Schemas['Recipe']
/** Give clips recipes; returns those that they had. */
async function give(wanted: Map<number, Recipe>): Promise<Map<number, Recipe>> {
  const before = new Map<number, Recipe>()
  const refused: unknown[] = []
  stopped = false
  through.value = { done: 0, total: wanted.size }
  for (const [id, recipe] of wanted) {
    if (stopped) break
    const was = library.clip(id)?.recipe
    try {
      await library.change(id, { recipe })
      if (was) before.set(id, was)
    } catch (problem) {
      refused.push(problem)
    }
    through.value = { done: through.value.done + 1, total: wanted.size }
  }
  through.value = null
  if (refused.length) messages.fail(refused[0])
  if (refused.length > 1) messages.warn(`${refused.length} clips could not be refined so; they stay as they were.`)
  return before
}
async function use(name: string, recipe: Recipe) {
  const before = await give(new Map(props.ids.map((id) => [id, recipe])))
  const count = before.size === 1 ? 'One clip' : `${before.size} clips`
  if (before.size) messages.say(`${count} refined by “${name}”.`, { label: 'Undo', run: () => give(before) })
}
</script>

<template>
  <span v-if="through" role="status">
    Refining {{ through.done }} of {{ through.total }}
    <button class="plain word" @click="stopped = true">Stop</button>
  </span>
  <v-menu v-else @update:model-value="opened">
    <template #activator="{ props: menu }"><v-btn size="small" v-bind="menu">Recipe</v-btn></template>
    <v-list density="compact" class="recipes">
      <v-list-item v-for="row in recipes.rows" :key="row.id" :title="row.name" @click="use(row.name, row.recipe)" />
      <v-list-item v-if="!recipes.rows.length" class="quiet" title="Keep a recipe on a clip’s page first" disabled />
      <v-list-item title="None: as the takes came" @click="use('none', { steps: [] })" />
    </v-list>
  </v-menu>
</template>

<style scoped>
.recipes {
  background: var(--panel);
}
</style>
